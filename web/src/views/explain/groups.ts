import type { Condition, Period, Schemas, Segment, SegmentPart, StoredGoal, StoredSegment, Versus } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { versusOf, type Under } from "@/state/view";
import { versusWords } from "@/words/format";

export type Units = Schemas["CompareRequest"]["units"];
export type CompareRequest = Schemas["CompareRequest"];

/** A group as the address names it: who reached a goal (`goal:3`), who is in a saved segment (`saved:5`), who fits the strip's segment, everybody. */
export type GroupName = string;
/** What a group is held against: the rest, itself in another period, or a saved segment (`saved:5`). */
const AGAINST = ["rest", "before", "year"] as const;
export type AgainstName = (typeof AGAINST)[number] | `saved:${number}`;

export interface Comparison {
  group: GroupName;
  against: AgainstName;
  units: Units;
  /** The dimensions that it is made by; none: all. */
  by: string | null;
}

interface Given {
  period: Period;
  /** The strip's. */
  segment: Segment | null;
  segments: StoredSegment[];
  goals: StoredGoal[];
  goal: StoredGoal | undefined;
}

const isSaved = (name: string): name is `saved:${number}` => name.startsWith("saved:");
const savedOf = (name: string, segments: readonly StoredSegment[]) => segments.find((one) => name === `saved:${one.id}`);
const savedNames = (segments: readonly StoredSegment[]) =>
  segments.filter((one) => !one.archived).map((one): `saved:${number}` => `saved:${one.id}`);

const goalOf = (name: GroupName, goals: readonly StoredGoal[]) => goals.find((one) => name === `goal:${one.id}`);

/** The groups that can be chosen: each goal's, that of the strip where it narrows, everybody. */
export function groupNames({ goals, segment, segments }: Pick<Given, "goals" | "segment" | "segments">): GroupName[] {
  return [...goals.map((one) => `goal:${one.id}`), ...(segment ? ["segment"] : []), ...savedNames(segments), "everybody"];
}

/** The group that is meant where the address says none, or one that is not there any more. */
export function usualGroup(given: Given, named: string | undefined): GroupName {
  const names = groupNames(given);
  if (named !== undefined && (names.includes(named) || savedOf(named, given.segments))) return named;
  if (given.goal) return `goal:${given.goal.id}`;
  return names[0] ?? "everybody";
}

/** What a group can be held against. Everybody has no rest, only another period. */
export const againstNames = (group: GroupName, segments: readonly StoredSegment[]): AgainstName[] =>
  group === "everybody" ? ["before", "year"] : [...AGAINST, ...savedNames(segments).filter((one) => one !== group)];

export const usualAgainst = (group: GroupName, named: string | undefined, segments: readonly StoredSegment[]): AgainstName => {
  const [first = "rest", ...others] = againstNames(group, segments);
  return others.find((one) => one === named) ?? first;
};

type Known = Pick<Given, "goals" | "segments">;

export function groupWords(name: GroupName, units: Units, { goals, segments }: Known): string {
  const goal = goalOf(name, goals);
  if (goal) return `${units} with ${goal.name}`;
  const saved = savedOf(name, segments);
  if (saved) return `${units} in ${saved.name}`;
  if (name === "segment") return `${units} of the segment`;
  return units === "people" ? "everybody" : "all visits";
}

export const againstWords = (name: AgainstName, period: Period, units: Units, known: Known): string =>
  isSaved(name) ? groupWords(name, units, known) : name === "rest" ? "the rest" : versusWords(period, name);

/** Behind a count of those that a group is held against: `98 of 4,879 others`. */
export const othersWords = (name: AgainstName, period: Period, segments: readonly StoredSegment[]): string =>
  isSaved(name) ? `in ${savedOf(name, segments)?.name}` : name === "rest" ? "others" : `in ${versusWords(period, name)}`;

/** Who reached a goal: people with all they did in the period, or the visits in which it was reached. */
const reached = (goal: StoredGoal, of: Units): Segment => ({
  of,
  where: { kind: "group", of: "all", conditions: [{ kind: "did", match: goal.goal.match, test: "at least", times: 1 }] },
});

/** A group as a whole segment, of which figures open up: under the strip, or of days of its own. */
export interface OpenedGroup {
  part: SegmentPart;
  under?: Under;
}

export interface OpenedGroups {
  a: OpenedGroup;
  b: OpenedGroup;
}

/** `isRest`: what is held against is what is left of it without the group. */
export function openedGroups(group: GroupName, request: CompareRequest, isRest: boolean): OpenedGroups {
  const { group: own, against, units, period, segment: strip } = request;
  const whole = (conditions: Condition[]): SegmentPart => ({
    kind: "segment",
    segment: { of: units, where: { kind: "group", of: "all", conditions } },
  });
  const a: SegmentPart = own ? { kind: "segment", segment: own } : whole([]);
  const of = ({ first, last }: Period): Under => ({ from: first, to: last });
  if (against?.kind === "period") {
    const narrowed = narrowedBy(strip ?? null, [], own ? [a] : []);
    return { a: { part: a }, b: { part: narrowed ? { kind: "segment", segment: narrowed } : a, under: of(against.period) } };
  }
  const other = against?.kind === "segment" ? against.segment : null;
  const b = whole([
    ...(other ? [{ kind: "segment" as const, segment: other }] : []),
    ...(own && isRest ? [{ kind: "group" as const, of: "none" as const, conditions: [a] }] : []),
  ]);
  // Where the strip is the group, what it leaves out is read without it.
  return { a: { part: a }, b: { part: b, ...(group === "segment" ? { under: of(period) } : {}) } };
}

/** The comparison as it is asked for. The strip's segment narrows both groups, unless it is the group itself. */
export function asked(comparison: Comparison, given: Given): CompareRequest {
  const { group, against, units, by } = comparison;
  const goal = goalOf(group, given.goals);
  const strip = given.segment;
  const inSaved = (name: string): Segment | null => {
    const saved = savedOf(name, given.segments);
    return saved ? { of: units, where: { kind: "group", of: "all", conditions: [{ kind: "saved", id: saved.id }] } } : null;
  };
  const own = goal ? reached(goal, units) : group === "segment" && strip ? { ...strip, of: units } : inSaved(group);
  const other = isSaved(against) || against === "rest" ? null : versusOf(given.period, against satisfies Versus);
  return {
    period: given.period,
    goal: given.goal?.id ?? null,
    segment: group === "segment" ? null : strip,
    group: own,
    against: other
      ? { kind: "period", period: other }
      : isSaved(against)
        ? { kind: "segment", segment: inSaved(against) }
        : { kind: "rest" },
    units,
    dimensions: by ? [by] : [],
    too_few: false,
    offset: 0,
    limit: 100,
  };
}
