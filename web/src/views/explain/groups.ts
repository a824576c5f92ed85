import type { Period, Schemas, StoredGoal, Versus } from "@/api/client";
import { segmentOf, type DimensionFilter } from "@/api/figures";
import { versusOf } from "@/state/view";
import { versusWords } from "@/words/format";

type Segment = Schemas["Segment"];
export type Units = Schemas["CompareRequest"]["units"];
export type CompareRequest = Schemas["CompareRequest"];

/** A group as the address names it: who reached a goal (`goal:3`), who fits the strip's segment, everybody. */
export type GroupName = string;
/** What a group is held against: the rest, everybody, or itself in another period. */
export const AGAINST = ["rest", "before", "year"] as const;
export type AgainstName = (typeof AGAINST)[number];

export interface Comparison {
  group: GroupName;
  against: AgainstName;
  units: Units;
  /** The dimensions that it is made by; none: all. */
  by: string | null;
}

interface Given {
  period: Period;
  filters: DimensionFilter[];
  goals: StoredGoal[];
  goal: StoredGoal | undefined;
}

const goalOf = (name: GroupName, goals: readonly StoredGoal[]) => goals.find((one) => name === `goal:${one.id}`);

/** The groups that can be chosen: each goal's, that of the strip where it narrows, everybody. */
export function groupNames({ goals, filters }: Pick<Given, "goals" | "filters">): GroupName[] {
  return [...goals.map((one) => `goal:${one.id}`), ...(filters.length ? ["segment"] : []), "everybody"];
}

/** The group that is meant where the address says none, or one that is not there any more. */
export function usualGroup(given: Given, named: string | undefined): GroupName {
  const names = groupNames(given);
  if (named !== undefined && names.includes(named)) return named;
  if (given.goal) return `goal:${given.goal.id}`;
  return names[0] ?? "everybody";
}

/** Everybody has no rest, only another period. */
export const usualAgainst = (group: GroupName, named: string | undefined): AgainstName =>
  AGAINST.find((one) => one === named && (one !== "rest" || group !== "everybody")) ?? (group === "everybody" ? "before" : "rest");

export function groupWords(name: GroupName, units: Units, goals: readonly StoredGoal[]): string {
  const goal = goalOf(name, goals);
  if (goal) return `${units} with ${goal.name}`;
  if (name === "segment") return `${units} of the segment`;
  return units === "people" ? "everybody" : "all visits";
}

export const againstWords = (name: AgainstName, period: Period): string => (name === "rest" ? "the rest" : versusWords(period, name));

/** Behind a count of those that a group is held against: `98 of 4,879 others`. */
export const othersWords = (name: AgainstName, period: Period): string => (name === "rest" ? "others" : `in ${versusWords(period, name)}`);

/** Who reached a goal: people with all they did in the period, or the visits in which it was reached. */
const reached = (goal: StoredGoal, of: Units): Segment => ({
  of,
  where: { kind: "group", of: "all", conditions: [{ kind: "did", match: goal.goal.match, test: "at least", times: 1 }] },
});

/** The comparison as it is asked for. The strip's segment narrows both groups, unless it is the group itself. */
export function asked(comparison: Comparison, given: Given): CompareRequest {
  const { group, against, units, by } = comparison;
  const goal = goalOf(group, given.goals);
  const strip = segmentOf(given.filters);
  const own = goal ? reached(goal, units) : group === "segment" && strip ? { ...strip, of: units } : null;
  const other = against === "rest" ? null : versusOf(given.period, against satisfies Versus);
  return {
    period: given.period,
    goal: given.goal?.id ?? null,
    segment: group === "segment" ? null : strip,
    group: own,
    against: other ? { kind: "period", period: other } : { kind: "rest" },
    units,
    dimensions: by ? [by] : [],
    too_few: false,
    offset: 0,
    limit: 100,
  };
}
