import { useMemo } from "react";

import type { Period, Series } from "@/api/client";
import type { CoursePoint, Step } from "@/charts/course";
import { daysIn } from "@/state/days";

/** Hours for a day, days for a quarter, weeks for a year, months beyond. */
export function stepFor({ first, last }: Period): Step {
  const days = daysIn(first, last);
  return days === 1 ? "hour" : days <= 93 ? "day" : days <= 400 ? "week" : "month";
}

/** A series as a chart takes it; from today on it is not over yet, and what has not begun has no point. */
export function useTimeSeries(
  series: Series | undefined,
  measure: string,
  today: string,
): { points: CoursePoint[]; bucket: Step; incompleteFrom: number | undefined } | null {
  return useMemo(() => {
    if (!series) return null;
    const now = new Date().toISOString();
    const points = series.points.map((point) => {
      const begun = series.bucket === "hour" ? new Date(point.at).toISOString() <= now : point.at <= today;
      return { at: point.at, now: begun ? (point.values[measure] ?? null) : null, before: point.before?.[measure] ?? null };
    });
    const open = series.period.last < today ? -1 : points.findLastIndex((point) => point.now !== null);
    return { points, bucket: series.bucket as Step, incompleteFrom: open < 0 ? undefined : open };
  }, [series, measure, today]);
}
