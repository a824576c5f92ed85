import type { DimensionFilter, Period, Segment, SegmentPart, Versus } from "@/api/client";
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
  /** The funnel in hand: the id of a saved one, or as JSON. */
  funnel?: string;
  /** What stands in the middle of Paths (`page:/courses`), and what its steps are where they are not pages. */
  centre?: string;
  along?: "groups" | "events" | "both";
  /** Whole segments beside the chips, and those that stand side by side: ids of saved ones, others as JSON. */
  segment?: string[];
  beside?: string[];
  /** The saved segment (in Funnels: the funnel) that is edited, `new` for another, and what that begins with, as JSON. */
  edit?: string;
  draft?: string;
  /** By which steps charts over time are read, where it is not the usual one. */
  step?: "hour" | "day" | "week" | "month";
  /** What parts of the view show, by their names: how they are sorted, what is opened in them. Each part reads what is its own. */
  shown?: Record<string, unknown>;
}

const LISTS = ["only", "without"] as const;
const PARTS = ["segment", "beside"] as const;
const SEVERAL: readonly string[] = [...LISTS, ...PARTS];
export const MAX_BESIDE = 4;
/** Longer than any that can be written by hand; more would not go through as an address. */
const MAX_SEGMENT = 6_000;
const MAX_SHOWN = 8_000;

export function parseSearch(text: string): Record<string, unknown> {
  const given = new URLSearchParams(text);
  const found: Record<string, unknown> = {};
  for (const key of given.keys()) found[key] = SEVERAL.includes(key) ? given.getAll(key) : given.get(key);
  return found;
}

export function stringifySearch(search: Record<string, unknown>): string {
  const made = new URLSearchParams();
  for (const [key, value] of Object.entries(search)) {
    if (Array.isArray(value)) for (const one of value) made.append(key, String(one));
    else if (isRecord(value)) made.set(key, JSON.stringify(value));
    else if (value !== undefined && value !== null && value !== "") made.set(key, String(value));
  }
  const text = made.toString().replaceAll("%3A", ":").replaceAll("%2F", "/");
  return text ? `?${text}` : "";
}

export const isRecord = (value: unknown): value is Record<string, unknown> =>
  value !== null && typeof value === "object" && !Array.isArray(value);

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
  for (const key of PARTS) {
    const kept = (Array.isArray(given[key]) ? given[key] : []).filter(
      (one): one is string => typeof one === "string" && partOf(one) !== null,
    );
    if (kept.length) found[key] = [...new Set(kept)].slice(0, MAX_BESIDE);
  }
  const edit = text("edit");
  if (edit === "new" || (edit !== undefined && /^[1-9]\d{0,9}$/.test(edit))) found.edit = edit;
  const shown = shownIn(given["shown"]);
  if (shown) found.shown = shown;
  const centre = text("centre");
  if (centre?.includes(":") && centre.length <= 4_000) found.centre = centre;
  const along = (["groups", "events", "both"] as const).find((one) => one === text("along"));
  if (along) found.along = along;
  const funnel = text("funnel");
  if (funnel !== undefined && isFunnel(funnel)) found.funnel = funnel;
  const draft = text("draft");
  if (draft !== undefined && segmentIn(draft)) found.draft = draft;
  return found;
}

/** What parts show, as it is or as a text of JSON. */
function shownIn(given: unknown): Record<string, unknown> | null {
  const text = typeof given === "string" ? given : JSON.stringify(given ?? null);
  if (text.length > MAX_SHOWN) return null;
  try {
    const found: unknown = typeof given === "string" ? JSON.parse(text) : given;
    return isRecord(found) && Object.keys(found).length ? found : null;
  } catch {
    return null;
  }
}

/** The segment that a text holds as JSON; whether it can be read in full, the server says. */
export function segmentIn(text: string): Segment | null {
  if (text.length > MAX_SEGMENT) return null;
  try {
    const found: unknown = JSON.parse(text);
    const where = isRecord(found) ? found["where"] : null;
    return isRecord(where) && Array.isArray(where["conditions"]) ? (found as Segment) : null;
  } catch {
    return null;
  }
}

/** Whether a text is the id of a funnel, or holds one as JSON: two steps at least, each a match; whether it can be counted, the server says. */
function isFunnel(text: string): boolean {
  if (/^[1-9]\d{0,9}$/.test(text)) return true;
  if (text.length > MAX_SEGMENT) return false;
  try {
    const found: unknown = JSON.parse(text);
    const steps = isRecord(found) && (found["units"] === "people" || found["units"] === "visits") ? found["steps"] : null;
    const isStep = (one: unknown) => isRecord(one) && ["names", "props", "fields"].every((key) => Array.isArray(one[key]));
    return Array.isArray(steps) && steps.length > 1 && steps.length <= 10 && steps.every(isStep);
  } catch {
    return false;
  }
}

/** A segment as an address names it: by its id, or in full. */
export function partOf(text: string): SegmentPart | null {
  if (/^[1-9]\d{0,9}$/.test(text)) return { kind: "saved", id: Number(text) };
  const segment = segmentIn(text);
  return segment && { kind: "segment", segment };
}

export const partText = (part: SegmentPart): string => (part.kind === "saved" ? String(part.id) : JSON.stringify(part.segment));

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

/** The address for another view: what one view alone has open stays behind. */
export const elsewhere = (search: ViewSearch): ViewSearch => ({ ...search, edit: undefined, draft: undefined, shown: undefined });

/** The address in which one part of the view shows something else; what is usual there need not be said. Where it gets too long, what was shown first goes. */
export function showing(search: ViewSearch, part: string, to: unknown): ViewSearch {
  const others = Object.entries(search.shown ?? {}).filter(([name]) => name !== part);
  const said = to === undefined ? others : [...others, [part, to] as const];
  while (JSON.stringify(Object.fromEntries(said)).length > MAX_SHOWN) said.shift();
  return { ...search, shown: said.length ? Object.fromEntries(said) : undefined };
}

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
