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
