import { useMemo } from "react";

import type { Period, Series } from "@/api/client";
import { STEPS, type CoursePoint, type Step } from "@/charts/course";
import { daysIn } from "@/state/days";

/** By which steps a period can be read: none so fine that one cannot tell them apart, none longer than the period. */
export function stepsFor({ first, last }: Period): Step[] {
  const days = daysIn(first, last);
  const fits = { hour: days <= 14, day: days > 1 && days <= 400, week: days > 7, month: days > 31 };
  return STEPS.filter((step) => fits[step]);
}

/** As long as a year, or nearly: what is read for its season. */
const YEAR = 330;

/** The step that is wanted, where it fits; else hours for a day, days for a quarter, weeks for less than a year, months beyond. */
export function stepFor(period: Period, wanted?: Step): Step {
  if (wanted && stepsFor(period).includes(wanted)) return wanted;
  const days = daysIn(period.first, period.last);
  return days === 1 ? "hour" : days <= 93 ? "day" : days < YEAR ? "week" : "month";
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
