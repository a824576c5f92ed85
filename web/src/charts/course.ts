import { shortDay, weekdayOf } from "@/words/format";

export interface CoursePoint {
  at: string;
  now: number | null;
  before: number | null;
  /** Between what it was expected. */
  expected?: { low: number; high: number } | undefined;
}

export type Step = "hour" | "day" | "week" | "month";

/** What a point of a course is called. */
export const named = (at: string, bucket: Step): string =>
  bucket === "hour" ? at.slice(11, 16) : bucket === "day" ? weekdayOf(at) : bucket === "week" ? `week of ${shortDay(at)}` : shortDay(at);
