import type { Measure, Period } from "@/api/client";
import { asDate, daysIn } from "@/state/days";

/** The reader’s own, wherever the browser says it; texts are English. */
const LOCALE = typeof navigator === "undefined" || !navigator.language ? "en-GB" : navigator.language;
const whole = new Intl.NumberFormat(LOCALE, { maximumFractionDigits: 0 });
const two = new Intl.NumberFormat(LOCALE, { minimumFractionDigits: 2, maximumFractionDigits: 2 });

const significant = new Intl.NumberFormat(LOCALE, { minimumSignificantDigits: 2, maximumSignificantDigits: 2 });

/** A number that may be large or small, with the two digits that mean something. */
export const twoDigits = (value: number): string => significant.format(value);

const few = new Intl.NumberFormat(LOCALE, { style: "percent", maximumFractionDigits: 0 });
const small = new Intl.NumberFormat(LOCALE, { style: "percent", minimumSignificantDigits: 2, maximumSignificantDigits: 2 });

/** A share as a sentence tells it: `38 %`, `2.8 %`. */
export const shareWords = (share: number): string => (share >= 0.1 || share === 0 ? few : small).format(share).replace(/\s?%/, "\u00a0%");

export const NOTHING = "–";

type Unit = Measure["unit"] | string;

/** A figure without its unit, which stands in the head. A ratio over nothing is a dash. */
export function figure(value: number | null | undefined, unit: Unit): string {
  if (value === null || value === undefined) return NOTHING;
  switch (unit) {
    case "percent":
      return two.format(value * 100);
    case "number":
      return two.format(value);
    case "seconds":
      return `${Math.floor(value / 60)}:${String(Math.floor(value % 60)).padStart(2, "0")}`;
    default:
      return whole.format(value);
  }
}

/** The unit as it stands behind a name: `Value, €`. */
export function unitOf(unit: Unit, currency: string): string {
  if (unit === "percent") return ", %";
  if (unit === "money") return `, ${symbol(currency)}`;
  return unit === "seconds" ? ", min" : "";
}

export function symbol(currency: string): string {
  const parts = new Intl.NumberFormat(LOCALE, { style: "currency", currency, currencyDisplay: "narrowSymbol" }).formatToParts(0);
  return parts.find((part) => part.type === "currency")?.value ?? currency;
}

/** A change against versus, with its sign. */
export function change(now: number | null | undefined, before: number | null | undefined, unit: Unit): string | null {
  if (now === null || now === undefined || before === null || before === undefined) return null;
  const gap = now - before;
  const text = figure(Math.abs(gap), unit);
  if (!/[1-9]/.test(text)) return "±0";
  return `${gap > 0 ? "+" : "−"}${text}`;
}

const day = new Intl.DateTimeFormat(LOCALE, { day: "numeric", month: "short", timeZone: "UTC" });
const dayAndYear = new Intl.DateTimeFormat(LOCALE, { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });
const dayAndWeekday = new Intl.DateTimeFormat(LOCALE, { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" });

const month = new Intl.DateTimeFormat(LOCALE, { month: "short", timeZone: "UTC" });

export const monthOf = (date: Date): string => month.format(date);
export const shortDay = (text: string): string => day.format(asDate(text));
export const longDay = (text: string): string => dayAndYear.format(asDate(text));
export const weekdayOf = (text: string): string => dayAndWeekday.format(asDate(text)).replace(",", "");

export function periodWords({ first, last }: Period): string {
  if (first === last) return longDay(first);
  return `${first.slice(0, 4) === last.slice(0, 4) ? shortDay(first) : longDay(first)} to ${longDay(last)}`;
}

/** What versus is called: `the 28 days before`. */
export function versusWords(period: Period, versus: "none" | "before" | "year"): string {
  if (versus === "none") return "nothing";
  if (versus === "year") return "a year before";
  const count = daysIn(period.first, period.last);
  return count === 1 ? "the day before" : `the ${count} days before`;
}

/** A name as it stands inside a sentence. */
export const within = (name: string): string => (/^.[A-Z]/.test(name) ? name : name.charAt(0).toLowerCase() + name.slice(1));

/** The article that a word has: `a page`, `an entry page`. */
export const article = (word: string): "a" | "an" => (/^[aeiou]/i.test(word) ? "an" : "a");

const languages = new Intl.DisplayNames("en", { type: "language" });
const countries = new Intl.DisplayNames("en", { type: "region" });

/** What no value is called, where it is not *none*. */
const EMPTY: Record<string, string> = { entry_page: "no page", exit_page: "no page", days_since: "first visit" };

/** A value of a dimension as it is shown; an empty one says so. */
export function valueWords(dimension: string, value: string): string {
  if (value === "") return EMPTY[dimension] ?? "none";
  try {
    if (dimension === "language") return languages.of(value) ?? value;
    if (dimension === "country") return countries.of(value) ?? value;
  } catch {
    return value;
  }
  return value;
}

/** What a goal's conversions are called in the head of a narrow column: `Course bookings` are `Bookings`. */
export function lastWord(name: string): string {
  const last = name.trim().split(/\s+/).at(-1) ?? "";
  return last.length > 0 && last.length <= 12 ? last.charAt(0).toUpperCase() + last.slice(1) : "Reached";
}

/** How long ago: `4 s`, `12 min`, `3 h`, `2 d`. */
export function ago(ms: number): string {
  const seconds = Math.max(Math.floor(ms / 1000), 0);
  if (seconds < 90) return `${seconds} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return seconds < 172_800 ? `${Math.round(seconds / 3600)} h` : `${Math.round(seconds / 86_400)} d`;
}

/** A length of time: `40 s`, `2 min 5 s`, `1 h 4 min`, `7 days 5 h`. */
export function duration(ms: number): string {
  const seconds = Math.round(ms / 1000);
  if (seconds < 60) return `${seconds} s`;
  if (seconds < 3600) return seconds % 60 ? `${Math.floor(seconds / 60)} min ${seconds % 60} s` : `${seconds / 60} min`;
  const hours = Math.floor(seconds / 3600);
  if (hours < 48) return `${hours} h ${Math.floor((seconds % 3600) / 60)} min`;
  return hours % 24 ? `${Math.floor(hours / 24)} days ${hours % 24} h` : `${hours / 24} days`;
}

/** An amount of money with its sign. */
export function amount(value: number, currency: string): string {
  try {
    return new Intl.NumberFormat(LOCALE, { style: "currency", currency, currencyDisplay: "narrowSymbol" }).format(value);
  } catch {
    return `${two.format(value)} ${currency}`;
  }
}

/** A moment in the site's time: `Sun 22 Nov, 14:05:09`. */
export function moment(ms: number, timeZone: string, withDay = true): string {
  const time = new Intl.DateTimeFormat(LOCALE, { hour: "2-digit", minute: "2-digit", second: "2-digit", timeZone }).format(ms);
  const on = new Intl.DateTimeFormat(LOCALE, { weekday: "short", day: "numeric", month: "short", timeZone }).format(ms).replace(",", "");
  return withDay ? `${on}, ${time}` : time;
}

export const plural = (count: number, one: string, many = `${one}s`): string => `${whole.format(count)} ${count === 1 ? one : many}`;
