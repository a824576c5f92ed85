import type { Schemas } from "@/api/client";
import { figure, plural } from "@/words/format";

export type Sorting = Schemas["Sorting"];
export type ChannelRule = Schemas["ChannelRule"];
export type Alias = Schemas["Alias"];
type Test = Schemas["ChannelTest"];
export type SortingState = Schemas["SortingState"];
type Move = Schemas["Reclassification"];

export const PARTS = ["mediums", "sources", "campaigns", "kinds"] as const;
export const PART_WORDS: Record<(typeof PARTS)[number], string> = {
  mediums: "medium",
  sources: "source",
  campaigns: "campaign",
  kinds: "kind of source",
};

const testWords = (test: Test): string =>
  PARTS.flatMap((part) => (test[part]?.length ? [`${PART_WORDS[part]} ${test[part].join(", ")}`] : [])).join(", and ") || "everything";

/** What a channel takes: `medium cpc, ppc, and kind of source search; or medium sem`. */
export const ruleWords = (rule: ChannelRule): string => rule.any_of.map(testWords).join("; or ");

/** A move of visits in a sentence without its end: `1,204 visits move from Unsorted to Email`. */
export function moveWords({ field, was, becomes, visits }: Move): string {
  const verb = visits === 1 ? "moves" : "move";
  const name = (value: string) => value || "nothing";
  return field === "channel"
    ? `${plural(visits, "visit")} ${verb} from ${name(was)} to ${name(becomes)}`
    : `${plural(visits, "visit")} of the ${field} ${name(was)} ${verb} to ${name(becomes)}`;
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);
const aliasWords = (alias: Alias): string => `${alias.field} ${alias.this} → ${alias.that}`;

/** What came and what went, as `+ a, b` and `− c`. */
function difference(before: readonly string[], after: readonly string[]): string {
  const came = after.filter((one) => !before.includes(one));
  const went = before.filter((one) => !after.includes(one));
  return [came.length ? `+ ${came.join(", ")}` : "", went.length ? `− ${went.join(", ")}` : ""].filter(Boolean).join(" ");
}

const wordsOf = (rules: ChannelRule[]): string[] => [
  ...new Set(rules.flatMap((rule) => rule.any_of.flatMap((test) => PARTS.flatMap((part) => test[part] ?? [])))),
];

/** What changed between two states, each with what came and what went: `Print and QR: + sticker, flyer-stand`. */
export function changeWords(before: SortingState, after: SortingState): string[] {
  const message: string[] = [];
  const say = (what: string, difference: string) => difference && message.push(`${what}: ${difference}`);
  say("Aliases", difference(before.aliases.map(aliasWords), after.aliases.map(aliasWords)));
  say("Ignored as a source", difference(before.ignored_hosts, after.ignored_hosts));
  const names = (list: ChannelRule[]) => list.map((rule) => rule.channel);
  const [old, now] = [names(before.channels), names(after.channels)];
  say("Channels", difference(old, now));
  for (const name of new Set(now.filter((one) => old.includes(one)))) {
    const [was, is] = [before, after].map((state) => state.channels.filter((rule) => rule.channel === name));
    if (!was || !is || same(was, is)) continue;
    message.push(`${name}: ${difference(wordsOf(was), wordsOf(is)) || "its words stand together in another way"}`);
  }
  if (!message.length) message.push(same(old, now) ? "The order of the aliases" : "The order of the channels");
  return message;
}

export const sameSorting = (a: Sorting, b: Sorting): boolean => same(a.aliases, b.aliases) && same(a.channels, b.channels);

export const shareWords = (moved: number, visits: number): string =>
  visits ? `${figure(moved, "count")} of ${plural(visits, "visit")}` : "no visits";
