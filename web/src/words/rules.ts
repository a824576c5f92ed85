import type { Schemas } from "@/api/client";

export type Rule = Schemas["Rule"];
export type RuleChange = Schemas["RuleChange"];
export type When = Rule["when"];
export type Condition = Rule["only_if"][number];
export type Action = Rule["then"][number];
export type Value = Extract<Action, { kind: "field" }>["value"];

const quoted = (text: string): string => `“${text}”`;

/** `the button “Buy” is clicked`, as it follows *When*. */
export function whenWords(when: When): string {
  switch (when.kind) {
    case "clicked":
      return `${[when.selector, when.text && quoted(when.text)].filter(Boolean).join(" with the text ")} is clicked`;
    case "form sent":
      return `${when.selector ?? "any form"} is sent`;
    case "in view":
      return `${when.selector} comes into view`;
    case "seconds passed":
      return when.seconds === 1 ? "a second has passed" : `${when.seconds} seconds have passed`;
    case "scrolled":
      return `${when.percent} % of the page was scrolled`;
    case "leaving":
      return "the window is about to be left";
    case "signalled":
      return `the page calls uc.signal("${when.name}")`;
    default:
      return "a page is shown";
  }
}

/** `the page starts with /shop`, as it follows *and only if*. */
export function conditionWords(condition: Condition): string {
  switch (condition.kind) {
    case "device":
      return `the device is a ${condition.devices.join(" or a ")}`;
    case "visitor":
      return `the visitor is ${condition.visitor}`;
    case "share":
      return `among ${condition.percent} % of visitors`;
    case "query":
    case "field":
      return [condition.kind === "query" ? `the query key ${condition.key}` : `the field ${condition.key}`, tested(condition)].join(" ");
    default:
      return `the ${condition.kind} ${tested(condition)}`;
  }
}

const tested = ({ test, value }: { test: string; value: string }): string => (test.endsWith("empty") ? test : `${test} ${value}`);

/** Where a value comes from. */
export function valueWords(value: Value): string {
  switch (value.kind) {
    case "fixed":
      return value.text;
    case "query":
      return `the query key ${value.key}`;
    case "cookie":
      return `the cookie ${value.key}`;
    case "variable":
      return `the page’s ${value.path}`;
    case "source":
      return `the visit’s ${value.part}`;
    default:
      return [value.attribute ? `the attribute ${value.attribute} of` : "the text of", value.selector ?? "the element itself"].join(" ");
  }
}

/** What is done, as it follows *then*. */
export function actionWords(action: Action): string {
  switch (action.kind) {
    case "field":
      return `set the field ${action.key} to ${valueWords(action.value)}`;
    case "html":
      return `insert HTML ${action.place === "instead" ? "instead of" : PLACES[action.place]} ${action.selector}`;
    default: {
      const props = action.kind === "event" ? action.props.map(({ key, value }) => `${key}: ${valueWords(value)}`) : [];
      const worth = action.value ? [`worth ${valueWords(action.value)}`] : [];
      const more = [...props, ...worth];
      return `${action.kind === "event" ? "record the event" : "count the goal"} ${action.name}${more.length ? ` (${more.join(", ")})` : ""}`;
    }
  }
}

export const PLACES: Record<Extract<Action, { kind: "html" }>["place"], string> = {
  before: "before",
  "at the start": "at the start of",
  "at the end": "at the end of",
  after: "after",
  instead: "instead of",
};

/** A whole rule but for its name. */
export function ruleWords({ when, only_if, then }: Rule): string {
  const only = only_if.length ? `, and only if ${only_if.map(conditionWords).join(" and ")}` : "";
  return `When ${whenWords(when)}${only}, then ${then.map(actionWords).join("; ")}.`;
}

/** What became of a rule, part by part. */
export function changeLines({ what, parts, was, becomes }: RuleChange): string[] {
  if (what !== "changed" || !was || !becomes) return [`${(becomes ?? was)?.name} was ${what}.`];
  return parts.map((part) => `${becomes.name}, ${PARTS[part]}: ${partWords(was, part)} → ${partWords(becomes, part)}`);
}

type Part = RuleChange["parts"][number];
const PARTS: Record<Part, string> = { name: "name", when: "when", only_if: "only if", then: "then", paused: "state" };

function partWords(rule: Rule, part: Part): string {
  switch (part) {
    case "name":
      return rule.name;
    case "when":
      return whenWords(rule.when);
    case "only_if":
      return rule.only_if.map(conditionWords).join(" and ") || "always";
    case "then":
      return rule.then
        .map((action) => (action.kind === "html" ? `${actionWords(action)}: ${action.html}` : actionWords(action)))
        .join("; ");
    default:
      return rule.paused ? "paused" : "running";
  }
}

const ID_SIGNS = "abcdefghijkmnpqrstuvwxyz23456789";

/** A rule that is begun. */
export const newRule = (): Rule => ({
  id: Array.from(crypto.getRandomValues(new Uint8Array(8)), (byte) => ID_SIGNS[byte % 32]).join(""),
  name: "",
  when: { kind: "clicked", selector: "", text: null },
  only_if: [],
  then: [{ kind: "event", name: "", props: [], value: null }],
  paused: false,
});

/** A selector that this browser cannot read, as every other browser would not. */
export function unreadable(selector: string): boolean {
  try {
    document.createDocumentFragment().querySelector(selector);
    return false;
  } catch {
    return true;
  }
}

/** All selectors of a rule that are no selectors. */
export function badSelectors(rule: Rule): string[] {
  const values = rule.then.flatMap((action) => {
    if (action.kind === "html") return [];
    return action.kind === "event" ? [action.value, ...action.props.map((one) => one.value)] : [action.value];
  });
  const found = [
    "selector" in rule.when ? rule.when.selector : null,
    ...rule.then.map((action) => (action.kind === "html" ? action.selector : null)),
    ...values.map((value) => (value?.kind === "element" ? value.selector : null)),
  ];
  return found.filter((one): one is string => Boolean(one) && unreadable(one ?? ""));
}
