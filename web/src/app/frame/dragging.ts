import type { Period } from "@/api/client";
import { daysIn, plusDays } from "@/state/days";

/** What of the period was taken hold of, and on which day. */
export interface Grip {
  part: "first" | "last" | "middle" | "outside";
  day: string;
}

/** How near to an end still takes that end, in pixels; a period that is narrower than two of it is moved as a whole. */
const NEAR = 6;

/** Which part of a period that begins at `start` and is `wide` lies under a place, all in pixels. */
export function partAt(x: number, start: number, wide: number): Grip["part"] {
  const end = start + wide;
  if (wide < 3 * NEAR) return x >= start - NEAR && x <= end + NEAR ? "middle" : "outside";
  if (Math.abs(x - start) <= NEAR) return "first";
  if (Math.abs(x - end) <= NEAR) return "last";
  return x > start && x < end ? "middle" : "outside";
}

const ordered = (a: string, b: string): Period => (a <= b ? { first: a, last: b } : { first: b, last: a });
const within = (day: string, low: string, high: string): string => (day < low ? low : day > high ? high : day);

/** The period once what was taken hold of lies on another day; it stays between `low` and `high`. An end that passes the other takes its place. */
export function dragged(period: Period, grip: Grip, to: string, low: string, high: string): Period {
  if (grip.part === "first") return ordered(to, period.last);
  if (grip.part === "last") return ordered(period.first, to);
  if (grip.part === "outside") return ordered(grip.day, to);
  const length = daysIn(period.first, period.last);
  const first = within(plusDays(period.first, daysIn(grip.day, to) - 1), low, plusDays(high, 1 - length));
  return { first, last: plusDays(first, length - 1) };
}
