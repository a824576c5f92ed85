import { shortDay, weekdayOf } from "@/words/format";

export interface CoursePoint {
  at: string;
  now: number | null;
  before: number | null;
  /** Between what it was expected. */
  expected?: { low: number; high: number } | undefined;
}

export const STEPS = ["hour", "day", "week", "month"] as const;
export type Step = (typeof STEPS)[number];

/** Whether a course by the hour goes over several days. */
export const isOverDays = (points: readonly { at: string }[], bucket: Step): boolean =>
  bucket === "hour" && points[0]?.at.slice(0, 10) !== points.at(-1)?.at.slice(0, 10);

/** What a point of a course is called. */
export const named = (at: string, bucket: Step): string =>
  bucket === "hour" ? at.slice(11, 16) : bucket === "day" ? weekdayOf(at) : bucket === "week" ? `week of ${shortDay(at)}` : shortDay(at);
