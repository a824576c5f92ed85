import type { Condition, SegmentPart } from "@/api/client";
import type { Funnel } from "@/words/funnels";

/** Those who came to a step (from 0), as a whole segment. */
export const reachedPart = (funnel: Funnel, step: number): SegmentPart => partOf(funnel, [came(funnel, step)]);

/** Those who came to the step before, and not to this one. */
export const lostPart = (funnel: Funnel, step: number): SegmentPart =>
  partOf(funnel, [came(funnel, step - 1), { kind: "group", of: "none", conditions: [came(funnel, step)] }]);

const partOf = ({ units }: Funnel, conditions: Condition[]): SegmentPart => ({
  kind: "segment",
  segment: { of: units, where: { kind: "group", of: "all", conditions } },
});

function came({ steps, window_minutes, directly_next }: Funnel, step: number): Condition {
  const [first] = steps;
  if (step === 0 && first) return { kind: "did", match: first, test: "at least", times: 1 };
  return { kind: "in order", steps: steps.slice(0, step + 1), within_minutes: window_minutes ?? null, directly_next };
}
