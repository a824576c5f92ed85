/** Days as `YYYY-MM-DD`, counted in UTC so that no clock change can touch them. */
const DAY = 86_400_000;

const toMs = (day: string): number => Date.parse(`${day}T00:00:00Z`);
const fromMs = (ms: number): string => new Date(ms).toISOString().slice(0, 10);

export const isDay = (text: string | undefined): text is string => /^\d{4}-\d\d-\d\d$/.test(text ?? "") && !Number.isNaN(toMs(text ?? ""));
export const plusDays = (day: string, count: number): string => fromMs(toMs(day) + count * DAY);
/** How many days lie from one to the other, both counted. */
export const daysIn = (first: string, last: string): number => Math.round((toMs(last) - toMs(first)) / DAY) + 1;
export const weekday = (day: string): number => (new Date(toMs(day)).getUTCDay() + 6) % 7;
export const asDate = (day: string): Date => new Date(toMs(day));

/** The day of a moment where the site is. Swedes write days as we do. */
export const dayOf = (moment: string, timeZone: string): string => new Intl.DateTimeFormat("sv-SE", { timeZone }).format(new Date(moment));

/** The first day of a month `back` months before that of the day. */
function monthBefore(day: string, back: number): string {
  const months = Number(day.slice(0, 4)) * 12 + Number(day.slice(5, 7)) - 1 - back;
  return `${String(Math.floor(months / 12)).padStart(4, "0")}-${String((months % 12) + 1).padStart(2, "0")}-01`;
}

interface Days {
  first: string;
  last: string;
}

/** The last `count` complete days before today. */
export const completeDays = (today: string, count: number): Days => ({ first: plusDays(today, -count), last: plusDays(today, -1) });

/** As many complete days, and today so far. */
export const lastDays = (today: string, count: number): Days => ({ first: plusDays(today, -count), last: today });

/** Periods by the names that everybody knows. This month, quarter and year go to today; `first`: the first day there is. */
export function usualPeriods(today: string, first: string): [string, Days][] {
  const into = Number(today.slice(5, 7)) - 1;
  const since = (back: number): Days => ({ first: monthBefore(today, back), last: today });
  const whole = (back: number, months: number): Days => ({
    first: monthBefore(today, back),
    last: plusDays(monthBefore(today, back - months), -1),
  });
  return [
    ["Last 7 days", completeDays(today, 7)],
    ["Last 28 days", completeDays(today, 28)],
    ["Last 91 days", completeDays(today, 91)],
    ["Last 364 days", completeDays(today, 364)],
    ["This month", since(0)],
    ["Last month", whole(1, 1)],
    ["This quarter", since(into % 3)],
    ["Last quarter", whole((into % 3) + 3, 3)],
    ["This year", since(into)],
    ["Last year", whole(into + 12, 12)],
    ["Today so far", { first: today, last: today }],
    ["All time", { first: first < today ? first : plusDays(today, -1), last: plusDays(today, -1) }],
  ];
}
