import type { Schemas } from "@/api/client";
import { figure, plural } from "@/words/format";

export type Sorting = Schemas["Sorting"];
export type ChannelRule = Schemas["ChannelRule"];
export type Alias = Schemas["Alias"];
type Test = Schemas["ChannelTest"];
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

/** What changed between two versions, in a few words each. */
export function changeWords(before: Sorting, after: Sorting): string[] {
  const message: string[] = [];
  const held = (list: Alias[]) => new Set(list.map(aliasWords));
  const [was, is] = [held(before.aliases), held(after.aliases)];
  for (const alias of is) if (!was.has(alias)) message.push(`alias ${alias} added`);
  for (const alias of was) if (!is.has(alias)) message.push(`alias ${alias} taken away`);
  const names = (list: ChannelRule[]) => list.map((rule) => rule.channel);
  const [old, now] = [names(before.channels), names(after.channels)];
  for (const name of now) if (!old.includes(name)) message.push(`channel ${name} added`);
  for (const name of old) if (!now.includes(name)) message.push(`channel ${name} taken away`);
  for (const rule of after.channels) {
    const earlier = before.channels.filter((one) => one.channel === rule.channel);
    if (earlier.length && !earlier.some((one) => same(one.any_of, rule.any_of))) message.push(`channel ${rule.channel} changed`);
  }
  if (!message.length && !same(old, now)) message.push("the order of the channels");
  return message;
}

export const sameSorting = (a: Sorting, b: Sorting): boolean => same(a.aliases, b.aliases) && same(a.channels, b.channels);

export const shareWords = (moved: number, visits: number): string =>
  visits ? `${figure(moved, "count")} of ${plural(visits, "visit")}` : "no visits";
