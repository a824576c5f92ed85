import type { Measure, Period } from "@/api/client";
import { asDate, daysIn } from "@/state/days";

const LOCALE = "en-GB";
const whole = new Intl.NumberFormat(LOCALE, { maximumFractionDigits: 0 });
const two = new Intl.NumberFormat(LOCALE, { minimumFractionDigits: 2, maximumFractionDigits: 2 });

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

const languages = new Intl.DisplayNames("en", { type: "language" });
const countries = new Intl.DisplayNames("en", { type: "region" });

/** A value of a dimension as it is shown; an empty one says so. */
export function valueWords(dimension: string, value: string): string {
  if (value === "") return dimension === "entry_page" || dimension === "exit_page" ? "no page" : "none";
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
