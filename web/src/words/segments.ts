import type { Condition, Registry, Schemas, Segment, SegmentPart, StoredSegment } from "@/api/client";
import { doing } from "@/words/comparing";
import { wayWords } from "@/words/paths";
import { article, duration, plural, valueWords, within } from "@/words/format";

type HitMatch = Schemas["HitMatch"];

/** What segments that stand side by side are told apart by. */
export const SIDE_LETTERS = ["A", "B", "C", "D"] as const;

/** What the words need to know of the site. */
export interface SegmentNaming {
  registry: Registry | undefined;
  segments: readonly StoredSegment[];
}

/** A hit of which nothing is asked but what is added. */
export const PLAIN_MATCH = { names: [], name_test: "is" as const, page: null, props: [], fields: [], value: null };

/** What the events that the site script sends by itself are, as something one does. */
const DONE: Record<string, string> = {
  "file download": "downloaded a file",
  "outbound click": "left by a link",
  "form view": "were shown a form",
  "form start": "began a form",
  "form submit": "sent a form",
  "media start": "played something",
  "media progress": "went on playing something",
  "site search": "searched the site",
  "promo view": "were shown a promotion",
  "promo click": "clicked a promotion",
  "scroll depth": "scrolled",
};

const NUMBERS: Record<string, string> = {
  "=": "exactly",
  "≠": "other than",
  "<": "less than",
  "≤": "at most",
  ">": "more than",
  "≥": "at least",
};
const TEXTS: Record<string, string> = { contains: "containing", "starts with": "starting with", "regular expression": "matching" };

const joined = (parts: readonly string[], by: "and" | "or"): string =>
  parts.length < 3 ? parts.join(` ${by} `) : `${parts.slice(0, -1).join(", ")} ${by} ${parts.at(-1)}`;

/** A segment as a sentence without its full stop: `People who downloaded a file and later did course booked`. */
export function segmentWords({ of, where }: Segment, naming: SegmentNaming): string {
  const [only] = where.conditions;
  // A group that stands alone needs no brackets.
  const said =
    where.conditions.length === 1 && only?.kind === "group" && only.of !== "none"
      ? [groupWords(only, of, naming)]
      : where.conditions.map((one) => conditionWords(one, of, naming));
  if (!said.length) {
    if (where.of === "any") return `No ${of === "people" ? "people" : "visits"}`;
    return of === "people" ? "Everybody" : "All visits";
  }
  const who = of === "people" ? "People who" : "Visits that";
  if (where.of === "none") return `${who} did none of these: ${said.join("; ")}`;
  if (where.of === "any") return `${who} ${joined(said, "or")}`;
  const isDenied = (one: Condition) => one.kind === "group" && one.of === "none";
  const kept = said.filter((_, i) => !isDenied(where.conditions[i] as Condition));
  const denied = said.filter((_, i) => isDenied(where.conditions[i] as Condition)).map((one) => one.replace(/^never /, ""));
  if (!kept.length) return `${who} never ${joined(denied, "or")}`;
  return `${who} ${joined(kept, "and")}${denied.length ? `, and never ${joined(denied, "or")}` : ""}`;
}

/** A condition as what was done: `saw /courses`, `never ordered`, `were from Ireland or Iceland`. */
export function conditionWords(condition: Condition, of: Segment["of"], naming: SegmentNaming): string {
  switch (condition.kind) {
    case "dimension":
      return dimensionWords(condition, naming);
    case "number":
      return numberWords(condition);
    case "did":
      return didWords(condition);
    case "way":
      return wayWords(condition);
    case "in order":
      return orderWords(condition);
    case "saved":
      return `were in “${naming.segments.find((one) => one.id === condition.id)?.name ?? "a segment that is gone"}”`;
    case "segment":
      return `were among ${within(segmentWords(condition.segment, naming))}`;
    default: {
      const words = groupWords(condition, of, naming);
      return condition.of !== "none" && condition.conditions.length > 1 ? `(${words})` : words;
    }
  }
}

function groupWords({ of: how, conditions }: Schemas["Group"], of: Segment["of"], naming: SegmentNaming): string {
  const said = conditions.map((one) => conditionWords(one, of, naming));
  if (!said.length) return how === "any" ? "were nobody" : "were anybody";
  if (how === "none") return `never ${joined(said, "or")}`;
  if (how === "one hit") return `${joined(said, "and")}${said.length > 1 ? ", in one hit" : ""}`;
  return joined(said, how === "all" ? "and" : "or");
}

function dimensionWords({ dimension, test, values }: Schemas["DimensionCondition"], { registry }: SegmentNaming): string {
  const known = registry?.dimensions.find((one) => one.name === dimension) ?? { name: dimension, title: dimension };
  const title = within(known.title);
  const [first = "…", ...others] = values; // as it is written, it may not be said yet
  switch (test) {
    case "is":
    case "one of": {
      const [verb, value] = doing(known, first, "then");
      return `${verb} ${joined([value, ...others.map((one) => (one === "" ? `no ${title}` : valueWords(dimension, one)))], "or")}`;
    }
    case "is not":
      return `had another ${title} than ${valueWords(dimension, first)}`;
    case "is empty":
      return `had no ${title}`;
    default:
      return `had ${article(title)} ${title} ${TEXTS[test]} “${first}”`;
  }
}

function numberWords({ of, test, than }: Schemas["NumberCondition"]): string {
  const how = NUMBERS[test] ?? test;
  switch (of) {
    case "views":
      return `had ${how} ${than} views`;
    case "duration":
      return `lasted ${how} ${duration(than * 1000)}`;
    case "engaged":
      return `were engaged for ${how} ${duration(than * 1000)}`;
    case "number":
      return `had a visit number of ${how} ${than}`;
    default:
      return `were worth ${how} ${than}`;
  }
}

const times = (count: number): string => (count === 1 ? "once" : count === 2 ? "twice" : `${count} times`);

function didWords({ match, test, times: count }: Schemas["DidCondition"]): string {
  const what = matchWords(match);
  if (count === 0) return test === "at least" ? `perhaps ${what}` : `never ${what}`;
  return test === "at least" && count === 1 ? what : `${what} ${test} ${times(count)}`;
}

function orderWords({ steps, within_minutes: within, directly_next: isDirect }: Schemas["OrderCondition"]): string {
  const how = within == null ? "" : `, within ${timeWords(within)},`;
  const next = isDirect ? " and directly next" : " and later";
  return steps.map((step, i) => (i === 0 ? "" : i === 1 ? `${next}${how} ` : ", then ") + matchWords(step)).join("");
}

/** Minutes as one says them: `7 days`, `90 minutes`. */
function timeWords(minutes: number): string {
  const [unit, count] = minutes % 1440 === 0 ? ["day", minutes / 1440] : minutes % 60 === 0 ? ["hour", minutes / 60] : ["minute", minutes];
  return plural(count, unit);
}

/** What a match finds, as something that was done. */
export function matchWords({ kind, names, name_test, page, props, fields, value }: HitMatch): string {
  const on = page
    ? page.test === "is"
      ? page.value
      : `a page ${page.test === "is not" ? "other than" : TEXTS[page.test]} “${page.value}”`
    : null;
  const what =
    kind === "view"
      ? `saw ${on ?? "a page"}`
      : kind === "order"
        ? "ordered"
        : name_test === "is" && names.length === 1 && DONE[names[0] ?? ""]
          ? (DONE[names[0] ?? ""] ?? "")
          : `did ${name_test === "is" ? joined(names, "or") : `something starting with “${joined(names, "or")}”`}`;
  const with_ = [
    ...props.map((one) => `${one.key} ${SAID[one.test] ?? one.test} ${one.value}`),
    ...fields.map((one) => `${one.field} ${SAID[one.test] ?? one.test} ${one.value}`),
    ...(value ? [`a worth of ${NUMBERS[value.test]} ${value.than}`] : []),
  ];
  return what + (kind !== "view" && on ? ` on ${on}` : "") + (with_.length ? ` with ${joined(with_, "and")}` : "");
}

const SAID: Record<string, string> = { is: "being", "is not": "not being", ...TEXTS };

/** What a whole segment is called: by its name, or by what it says. */
export function partWords(part: SegmentPart, naming: SegmentNaming): string {
  if (part.kind === "segment") return segmentWords(part.segment, naming);
  return naming.segments.find((one) => one.id === part.id)?.name ?? "";
}
