import type { Goal, SiteField } from "@/api/client";
import { amount, figure } from "@/words/format";

const list = (parts: string[]): string => parts.join(" and ");

/** What a goal counts, in a sentence without a verb: `views of pages that start with /courses`. */
export function goalWords({ match, counts }: Goal): string {
  const on = match.page ? ` of pages ${TESTS[match.page.test]} ${match.page.value}` : "";
  const what = (() => {
    switch (match.kind) {
      case "view":
        return `views${on}`;
      case "event": {
        const names = match.names.join(" or ");
        const props = match.props.map((one) => `${one.key} ${SAID[one.test] ?? one.test} ${one.value}`);
        const named = match.name_test === "is" ? `the event ${names}` : `events that start with ${names}`;
        return named + (props.length ? ` with ${list(props)}` : "") + on;
      }
      default:
        return `orders${on}${match.value ? ` with a total ${TOTALS[match.value.test]} ${figure(match.value.than, "money")}` : ""}`;
    }
  })();
  const fields = match.fields.map((one) => `${one.field} ${SAID[one.test]} ${one.value}`);
  return what + (fields.length ? `, where ${list(fields)}` : "") + `, ${counts}`;
}

const TOTALS: Record<string, string> = {
  "≥": "of at least",
  ">": "of more than",
  "≤": "of at most",
  "<": "of less than",
  "=": "of",
  "≠": "other than",
};

const TESTS: Record<string, string> = {
  is: "that are",
  "is not": "that are not",
  "starts with": "that start with",
  contains: "that contain",
  "regular expression": "that match",
};

const SAID: Record<string, string> = {
  is: "is",
  "is not": "is not",
  "starts with": "starting with",
  contains: "containing",
  "regular expression": "matching",
};

export function worthWords({ value }: Goal, currency: string): string {
  switch (value.kind) {
    case "fixed":
      return `${amount(value.amount, currency)} each`;
    case "hit":
      return "the event’s value";
    case "order":
      return "the order’s total";
    default:
      return "no value";
  }
}

/** Where a field's values come from. */
export function readWords({ key, read }: SiteField): string {
  switch (read.kind) {
    case "query":
      return `the query key ${read.key}`;
    case "property":
      return `the property ${read.key} of events`;
    case "page":
      return `the part of the page’s path that ${read.pattern} finds`;
    default:
      return `sent by the site as ${key}`;
  }
}
