import type { ComparedRow } from "@/api/client";
import { figure, plural, twoDigits, valueWords } from "@/words/format";

/** What somebody does who has a value, and what they did. */
const DOES: Record<string, [string, string]> = {
  channel: ["come by", "came by"],
  source: ["come from", "came from"],
  medium: ["come by the medium", "came by the medium"],
  campaign: ["come by the campaign", "came by the campaign"],
  label: ["come by the link", "came by the link"],
  first_channel: ["have first come by", "first came by"],
  first_source: ["have first come from", "first came from"],
  entry_page: ["land on", "landed on"],
  exit_page: ["leave from", "left from"],
  page: ["see", "saw"],
  page_group: ["see pages of", "saw pages of"],
  event: ["do", "did"],
  file: ["download", "downloaded"],
  form: ["send the form", "sent the form"],
  media: ["play", "played"],
  search_term: ["search for", "searched for"],
  promo: ["click the promotion", "clicked the promotion"],
  outbound_host: ["leave for", "left for"],
  visitor_kind: ["be", "were"],
  visit_number: ["be on visit", "were on visit"],
  weekday: ["come on", "came on"],
  day: ["come on", "came on"],
  continent: ["be in", "were in"],
  device: ["use the device", "used the device"],
  browser: ["use", "used"],
  system: ["use", "used"],
  language: ["read in", "read in"],
  country: ["be in", "were in"],
};

/** What one does with a value, within a sentence: `come from pinwheel`; of a dimension without a verb, `have the author Ida`. */
export function doing(dimension: { name: string; title: string }, value: string, tense: "now" | "then"): [string, string] {
  const verbs = DOES[dimension.name];
  const title = dimension.title.toLowerCase();
  const verb = verbs ? verbs[tense === "now" ? 0 : 1] : `${tense === "now" ? "have" : "had"} the ${title}`;
  return value === "" ? [`${tense === "now" ? "have" : "had"} no`, title] : [verb, valueWords(dimension.name, value)];
}

/** How many times as likely: two digits that mean something. */
export const times = (ratio: number): string => (ratio >= 10 ? figure(ratio, "count") : twoDigits(ratio));

/** How sure one is: `< 0.001`, `0.03`. */
export const evidence = (p: number): string => (p < 0.001 ? "< 0.001" : twoDigits(p));

/** What is left to say of a row, behind its counts: `6.0 times as likely, between 3.7 and 9.7 times`. */
export function likelihood({ a, b, ratio, low, high }: Pick<ComparedRow, "a" | "b" | "ratio" | "low" | "high">): [string, string] {
  if (a === 0) return [high === null ? "never" : `at most ${times(high)} times as likely`, ""];
  if (b === 0) return [low === null ? "only there" : `at least ${times(low)} times as likely`, ""];
  if (ratio === null) return ["", ""];
  return [`${times(ratio)} times as likely`, low !== null && high !== null ? `between ${times(low)} and ${times(high)} times` : ""];
}

interface Sizes {
  a: number;
  b: number;
}

/** A row as a sentence in pieces: the counts, the ratio that is stressed, and its interval. */
export function said(row: ComparedRow, sizes: Sizes, groups: [string, string], dimension: { name: string; title: string }) {
  const [verb, value] = doing(dimension, row.value, "then");
  const counted = (count: number, size: number) => `${count === 0 ? "None" : figure(count, "count")} of ${figure(size, "count")}`;
  const [stressed, interval] = likelihood(row);
  return {
    counts: `${counted(row.a, sizes.a)} ${groups[0]} ${verb} ${value}, against ${counted(row.b, sizes.b).toLowerCase()} ${groups[1]}: `,
    stressed,
    interval: interval && `, ${interval} at 95 %`,
  };
}

export const unitWords = (units: "people" | "visits", count: number): string =>
  units === "people" ? plural(count, "person", "people") : plural(count, "visit");
