import type { Condition, SegmentPart, StoredGoal } from "@/api/client";
import { PLAIN_MATCH } from "@/words/segments";

const saw = (page: string) => ({ ...PLAIN_MATCH, kind: "view" as const, page: { test: "is" as const, value: page } });
const did = (match: Parameters<typeof convertedAfter>[1]["goal"]["match"]): Condition => ({
  kind: "did",
  match,
  test: "at least",
  times: 1,
});

function convertedAfter(page: string, { goal }: Pick<StoredGoal, "goal">): Condition {
  return { kind: "in order", steps: [saw(page), goal.match], within_minutes: null, directly_next: false };
}

const visitsOf = (of: "all" | "any", conditions: Condition[]): SegmentPart => ({
  kind: "segment",
  segment: { of: "visits", where: { kind: "group", of, conditions } },
});

/** Visits that saw a page and converted then. */
export const convertingPart = (page: string, goal: StoredGoal): SegmentPart => visitsOf("all", [convertedAfter(page, goal)]);

/** Visits that saw a page and, if they converted, saw it before they did. */
export const seenPart = (page: string, goal: StoredGoal): SegmentPart => {
  const never: Condition = { kind: "group", of: "none", conditions: [did(goal.goal.match)] };
  return visitsOf("any", [{ kind: "group", of: "all", conditions: [did(saw(page)), never] }, convertedAfter(page, goal)]);
};
