import { asDate } from "@/state/days";
import { shortDay, twoDigits, weekdayOf } from "@/words/format";

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

interface Course {
  points: CoursePoint[];
  bucket: Step;
  incompleteFrom: number | undefined;
}

/** A course with the band of what was expected, by the days that it has. */
export function withExpected(
  course: Course | null,
  band: { at: readonly string[]; low: readonly number[]; high: readonly number[] } | undefined,
): Course | null {
  if (!course || !band?.at.length) return course;
  const by = new Map(band.at.map((at, place) => [at, { low: band.low[place] ?? 0, high: band.high[place] ?? 0 }]));
  return { ...course, points: course.points.map((point) => ({ ...point, expected: by.get(point.at) })) };
}

const MIN_MONTHS = 11;
/** By so much a month must stand out, and so many must lie behind it. */
const SEASON = { times: 1.25, count: 20 };
const fullMonth = new Intl.DateTimeFormat("en", { month: "long", timeZone: "UTC" });

/** The season of a year of whole months: `December brings 1.6 times a usual month.` Nothing where no month stands out. */
export function seasonWords(points: readonly CoursePoint[], title: string, unit: string): string | null {
  const whole = points.filter((point, place) => point.now !== null && point.at.endsWith("-01") && place < points.length - 1);
  const perDay = whole.map((point) => (point.now ?? 0) / (unit === "count" || unit === "money" ? daysOfMonth(point.at) : 1));
  if (whole.length < MIN_MONTHS) return null;
  const sorted = [...perDay].sort((a, b) => a - b);
  const usual = sorted[Math.floor(sorted.length / 2)] ?? 0;
  const most = perDay.indexOf(Math.max(...perDay));
  const times = usual > 0 ? (perDay[most] ?? 0) / usual : 0;
  const point = whole[most];
  if (!point || times < SEASON.times || (unit === "count" && (point.now ?? 0) < SEASON.count)) return null;
  return `${fullMonth.format(asDate(point.at))} brings ${twoDigits(times)} times a usual month: ${title.toLowerCase()} a day, against the middle one of ${whole.length} months.`;
}

const daysOfMonth = (first: string): number => new Date(Date.UTC(Number(first.slice(0, 4)), Number(first.slice(5, 7)), 0)).getUTCDate();
