import type { DimensionFilter, Period, Versus } from "@/api/client";
import { isDay } from "@/state/days";

/** The sentence under which everything is read, as it stands in the address. What is missing takes its usual value. */
export interface ViewSearch {
  from?: string;
  to?: string;
  versus?: Versus;
  goal?: number;
  only?: string[];
  without?: string[];
  /** The visitor who is followed in Now. */
  visitor?: string;
  /** The groups that Compare holds against each other, by which dimensions, and what it counts. */
  group?: string;
  against?: string;
  by?: string;
  units?: "visits";
  /** By which steps charts over time are read, where it is not the usual one. */
  step?: "hour" | "day" | "week" | "month";
}

const LISTS = ["only", "without"] as const;

export function parseSearch(text: string): Record<string, unknown> {
  const given = new URLSearchParams(text);
  const found: Record<string, unknown> = {};
  for (const key of given.keys()) found[key] = (LISTS as readonly string[]).includes(key) ? given.getAll(key) : given.get(key);
  return found;
}

export function stringifySearch(search: Record<string, unknown>): string {
  const made = new URLSearchParams();
  for (const [key, value] of Object.entries(search)) {
    if (Array.isArray(value)) for (const one of value) made.append(key, String(one));
    else if (value !== undefined && value !== null && value !== "") made.set(key, String(value));
  }
  const text = made.toString().replaceAll("%3A", ":").replaceAll("%2F", "/");
  return text ? `?${text}` : "";
}

const list = (value: unknown): string[] | undefined => {
  const kept = (Array.isArray(value) ? value : []).filter((one): one is string => typeof one === "string" && one.includes(":"));
  return kept.length ? kept.slice(0, 50) : undefined;
};

/** Reads what an address says; what makes no sense is left out rather than refused. */
export function readView(given: Record<string, unknown>): ViewSearch {
  const text = (key: string) => (typeof given[key] === "string" ? given[key] : undefined);
  const [from, to] = [text("from"), text("to")];
  const versus = text("versus");
  const goal = Number(given["goal"]);
  const found: ViewSearch = {};
  if (isDay(from) && isDay(to) && from <= to) Object.assign(found, { from, to });
  if (versus === "none" || versus === "year") found.versus = versus;
  if (Number.isInteger(goal) && goal > 0) found.goal = goal;
  const visitor = text("visitor");
  if (visitor && visitor.length <= 64) found.visitor = visitor;
  for (const key of ["group", "against", "by"] as const) {
    const said = text(key);
    if (said && said.length <= 100) found[key] = said;
  }
  if (text("units") === "visits") found.units = "visits";
  const step = (["hour", "day", "week", "month"] as const).find((one) => one === text("step"));
  if (step) found.step = step;
  for (const key of LISTS) {
    const kept = list(given[key]);
    if (kept) found[key] = kept;
  }
  return found;
}

const pair = (text: string): [string, string] => [text.slice(0, text.indexOf(":")), text.slice(text.indexOf(":") + 1)];
const written = (dimension: string, value: string): string => `${dimension}:${value}`;

/** The narrowings of an address: values of one dimension stand together, as *one of*. */
export function narrowings(search: ViewSearch, known: (dimension: string) => boolean): DimensionFilter[] {
  return LISTS.flatMap((key) => {
    const by = new Map<string, string[]>();
    for (const [dimension, value] of (search[key] ?? []).map(pair))
      if (known(dimension)) by.set(dimension, [...(by.get(dimension) ?? []), value]);
    return [...by].map(([dimension, values]) => ({ dimension, values, without: key === "without" }));
  });
}

/** How a value is taken into the segment: alone, left out, or beside those of its dimension that are there. */
export type Taking = "only" | "without" | "add";

/** The address with one value more; the same value is never both taken and left out. */
export function narrowed(search: ViewSearch, dimension: string, value: string, how: Taking): ViewSearch {
  const one = written(dimension, value);
  const [into, outOf] = how === "without" ? (["without", "only"] as const) : (["only", "without"] as const);
  const beside = (search[into] ?? []).filter((held) => held !== one && (how !== "only" || pair(held)[0] !== dimension));
  const kept = (search[outOf] ?? []).filter((held) => held !== one);
  return { ...search, [into]: [...beside, one], [outOf]: kept.length ? kept : undefined };
}

/** The address narrowed to all of these values. */
export const narrowedTo = (search: ViewSearch, places: readonly { dimension: string; value: string }[]): ViewSearch =>
  places.reduce((now, { dimension, value }) => narrowed(now, dimension, value, "only"), search);

/** The address without one narrowing. */
export function widened(search: ViewSearch, narrowing: DimensionFilter): ViewSearch {
  const key = narrowing.without ? "without" : "only";
  const kept = (search[key] ?? []).filter((held) => pair(held)[0] !== narrowing.dimension);
  return { ...search, [key]: kept.length ? kept : undefined };
}

/** The address with other values of one narrowing; none takes it off. */
export function renarrowed(search: ViewSearch, narrowing: DimensionFilter, values: readonly string[]): ViewSearch {
  const texts = values.map((value) => written(narrowing.dimension, value));
  const left = widened(search, narrowing);
  const [into, outOf] = narrowing.without ? (["without", "only"] as const) : (["only", "without"] as const);
  const kept = (left[outOf] ?? []).filter((held) => !texts.includes(held));
  const all = [...(left[into] ?? []), ...texts];
  return { ...left, [into]: all.length ? all : undefined, [outOf]: kept.length ? kept : undefined };
}

export const samePeriod = (a: Period, b: Period): boolean => a.first === b.first && a.last === b.last;
