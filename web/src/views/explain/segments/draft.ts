import type { Condition, Schemas, Segment } from "@/api/client";
import { typedNumber } from "@/forms/numbers";
import { fieldsOf, propsOf, writtenFields, writtenProps, type Written } from "@/views/shared/writtenConditions";

type HitMatch = Schemas["HitMatch"];
type PageTest = Schemas["PageTest"]["test"];

/** Hits that are meant, as they are being written. */
export interface MatchDraft {
  kind: HitMatch["kind"];
  /** Of the event; an empty one is not said yet. */
  name: string;
  nameTest: HitMatch["name_test"];
  /** Which page it was on; of what is no view, "any" asks nothing. */
  pageTest: PageTest | "any";
  page: string;
  props: Written[];
  fields: Written[];
  /** What is kept as it was: further names, what it is worth. */
  kept: HitMatch | null;
}

export const UNITS = { minutes: 1, hours: 60, days: 1440 } as const;
export type Unit = keyof typeof UNITS;

/** A condition as it is being written: numbers are texts, and a value that is not said yet is null. */
export type ConditionDraft =
  | { kind: "dimension"; dimension: string; test: Schemas["DimensionCondition"]["test"]; values: (string | null)[] }
  | { kind: "number"; of: Schemas["NumberCondition"]["of"]; test: Schemas["NumberCondition"]["test"]; than: string }
  | { kind: "did"; match: MatchDraft; test: Schemas["DidCondition"]["test"]; times: string }
  | { kind: "in order"; steps: MatchDraft[]; within: string; unit: Unit; directly: boolean }
  | { kind: "saved"; id: number | null }
  | { kind: "segment"; segment: Segment }
  | Schemas["WayCondition"]
  | GroupDraft;

export interface GroupDraft {
  kind: "group";
  of: Schemas["Group"]["of"];
  conditions: ConditionDraft[];
}

export interface SegmentDraft {
  of: Segment["of"];
  where: GroupDraft;
}

const PLAIN: HitMatch = { kind: "event", names: [], name_test: "is", page: null, props: [], fields: [], value: null };

export const newMatch = (kind: HitMatch["kind"], name = ""): MatchDraft => ({
  kind,
  name,
  nameTest: "is",
  pageTest: kind === "view" ? "is" : "any",
  page: "",
  props: [],
  fields: [],
  kept: null,
});

export const matchDraft = (match: HitMatch): MatchDraft => ({
  kind: match.kind,
  name: match.names[0] ?? "",
  nameTest: match.name_test,
  pageTest: match.page?.test ?? "any",
  page: match.page?.value ?? "",
  props: writtenProps(match.props),
  fields: writtenFields(match.fields),
  kept: match,
});

export function matchOf({ kind, name, nameTest, pageTest, page, props, fields, kept }: MatchDraft): HitMatch {
  const before = kept?.kind === kind ? kept : PLAIN;
  return {
    ...before,
    kind,
    names: kind === "event" && name ? [name, ...before.names.slice(1)] : [],
    name_test: kind === "event" ? nameTest : "is",
    page: pageTest === "any" ? null : { test: pageTest, value: page },
    props: kind === "view" ? [] : propsOf(props),
    fields: fieldsOf(fields),
  };
}

function conditionDraft(condition: Condition): ConditionDraft {
  switch (condition.kind) {
    case "number":
      return { ...condition, than: String(condition.than) };
    case "did":
      return { ...condition, match: matchDraft(condition.match), times: String(condition.times) };
    case "in order": {
      const minutes = condition.within_minutes;
      const unit = (["days", "hours"] as const).find((one) => minutes != null && minutes % UNITS[one] === 0) ?? "minutes";
      const within = minutes == null ? "" : String(minutes / UNITS[unit]);
      return { kind: "in order", steps: condition.steps.map(matchDraft), within, unit, directly: condition.directly_next ?? false };
    }
    case "group":
      return groupDraft(condition);
    default:
      return condition;
  }
}

const groupDraft = ({ of, conditions }: Schemas["Group"]): GroupDraft => ({
  kind: "group",
  of,
  conditions: conditions.map(conditionDraft),
});

export const draftOf = ({ of, where }: Segment): SegmentDraft => ({ of, where: groupDraft(where) });

function conditionOf(draft: ConditionDraft): Condition {
  switch (draft.kind) {
    case "dimension":
      return { ...draft, values: draft.test === "is empty" ? [] : draft.values.filter((one) => one !== null) };
    case "number":
      return { ...draft, than: typedNumber(draft.than) };
    case "did":
      return { ...draft, match: matchOf(draft.match), times: typedNumber(draft.times) };
    case "in order": {
      const within = draft.within.trim() ? typedNumber(draft.within) * UNITS[draft.unit] : null;
      return {
        kind: "in order",
        steps: draft.steps.map(matchOf),
        within_minutes: within,
        ...(draft.directly ? { directly_next: true } : {}),
      };
    }
    case "saved":
      return { kind: "saved", id: draft.id ?? 0 };
    case "group":
      return groupOf(draft);
    default:
      return draft;
  }
}

const groupOf = ({ of, conditions }: GroupDraft): Schemas["Group"] => ({ kind: "group", of, conditions: conditions.map(conditionOf) });

/** The segment as the API takes it; what is not said yet is left to the server to refuse. */
export const segmentOfDraft = ({ of, where }: SegmentDraft): Segment => ({ of, where: groupOf(where) });

/** Where a condition stands in the tree: its places from the outermost group on. */
export type Path = readonly number[];
const key = (path: Path): string => path.join(".");
export type Faults = Readonly<Record<string, string>>;
export const faultAt = (faults: Faults, path: Path): string | undefined => faults[key(path)];

const isNumber = (text: string): boolean => text.trim() !== "" && Number.isFinite(typedNumber(text));

export function matchFault({ kind, name, pageTest, page }: MatchDraft): string | null {
  if (kind === "event" && !name.trim()) return "Say which event.";
  return pageTest !== "any" && !page ? "Say which page." : null;
}

function faultOf(draft: ConditionDraft): string | null {
  switch (draft.kind) {
    case "dimension":
      return draft.test !== "is empty" && draft.values.every((one) => one === null) ? "Say which value." : null;
    case "number":
      return isNumber(draft.than) ? null : "Give a number.";
    case "did":
      return matchFault(draft.match) ?? (isNumber(draft.times) ? null : "Say how many times.");
    case "in order":
      return (
        draft.steps.map(matchFault).find(Boolean) ?? (draft.within.trim() && !isNumber(draft.within) ? "Give a number, or nothing." : null)
      );
    case "saved":
      return draft.id === null ? "Choose a segment." : null;
    default:
      return null;
  }
}

/** What is not said yet, by where it stands. */
export function faultsOf(group: GroupDraft, path: Path = []): Faults {
  const found: Record<string, string> = {};
  group.conditions.forEach((one, place) => {
    const here = [...path, place];
    const fault = faultOf(one);
    if (fault) found[key(here)] = fault;
    if (one.kind === "group") Object.assign(found, faultsOf(one, here));
  });
  return found;
}

/** What a problem document says of conditions, by where they stand; what is of none of them stays away. */
export function faultsSaid(errors: readonly { field: string; text: string }[]): Faults {
  const found: Record<string, string> = {};
  for (const { field, text } of errors) {
    const places = [...field.matchAll(/conditions\.(\d+)/g)].map((one) => Number(one[1]));
    if (places.length) found[key(places)] ??= `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
  }
  return found;
}
