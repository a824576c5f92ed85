import type { Period, Schemas } from "@/api/client";

/** Only visits with one of the values, or only those without: the simplest segment. */
export interface DimensionFilter {
  dimension: string;
  values: string[];
  without: boolean;
}

/** Measures of one row; a ratio over nothing is null. `few`: shares with too little behind them; `interval`: 95 % of a share. */
export interface MeasureValues {
  values: Record<string, number | null>;
  before: Record<string, number | null> | null;
  interval: Record<string, { low: number; high: number }>;
  few: string[];
  is_significant: Record<string, boolean>;
  /** Of what the removal effect credits: on how many touches it rests, and how much less would convert without it. */
  removal?: Record<string, { touches: number; effect: number }>;
}

export interface Row extends MeasureValues {
  keys: string[];
}

type Notes = Schemas["TableResult"]["notes"];

/** A table by row, as the screens show it. `count`: how many rows there are in all. */
export interface Table {
  dimensions: string[];
  rows: Row[];
  count: number;
  total: MeasureValues;
  rest: { rows: number; figures: MeasureValues } | null;
  versus: Period | null;
  notes: Notes;
}

export interface SeriesPoint {
  at: string;
  values: Record<string, number | null>;
  before: Record<string, number | null> | null;
}

/** A series by bucket: of all, or of the row that was asked for. */
export interface Series {
  period: Period;
  bucket: Schemas["SeriesResult"]["bucket"];
  points: SeriesPoint[];
  total: MeasureValues;
  notes: Notes;
}

type Columns = Schemas["ColumnValues"][];

export type Segment = Schemas["Segment"];
export type Condition = Segment["where"]["conditions"][number];
/** Visits that have all of these values. */
export const partOfAll = (places: Places): SegmentPart => ({
  kind: "segment",
  segment: all(conditionsOf(places.map(({ dimension, value }) => ({ dimension, values: [value], without: false })))),
});

/** Visits for which one condition holds. */
export const partOfOne = (condition: Condition): SegmentPart => ({ kind: "segment", segment: all([condition]) });

/** A whole segment as a condition of another: one that is saved, or one that stands for itself. */
export type SegmentPart = Extract<Condition, { kind: "saved" | "segment" }>;

const conditionsOf = (filters: readonly DimensionFilter[]): Condition[] =>
  filters.map(({ dimension, values, without }) => {
    const plain = { kind: "dimension" as const, dimension, test: "one of" as const, values };
    return without ? { kind: "group" as const, of: "none" as const, conditions: [plain] } : plain;
  });

/** Values of a row. */
export type Places = readonly { dimension: string; value: string }[];

/** Values of a row that hold in one hit of a visit, as a condition; the others alone. `isOfHit`: which dimensions are of the hit. */
export function inOneHit(places: Places, isOfHit: (dimension: string) => boolean): { others: Places; oneHit: Condition | null } {
  const ofHit = places.filter((one) => isOfHit(one.dimension));
  if (ofHit.length < 2) return { others: places, oneHit: null };
  const conditions = ofHit.map(({ dimension, value }) => ({ kind: "dimension" as const, dimension, test: "is" as const, values: [value] }));
  return { others: places.filter((one) => !ofHit.includes(one)), oneHit: { kind: "group", of: "one hit", conditions } };
}

const all = (conditions: Condition[]): Segment => ({ of: "visits", where: { kind: "group", of: "all", conditions } });

/** Whole segments, each as the segment of a request. */
export const partsOfSegments = (parts: readonly SegmentPart[]): Segment[] => parts.map((part) => all([part]));

/** What filters and whole segments say together, as the segment of a request. */
export function segmentOf(filters: readonly DimensionFilter[], parts: readonly SegmentPart[] = []): Segment | null {
  const conditions = [...conditionsOf(filters), ...parts];
  return conditions.length ? all(conditions) : null;
}

/** A segment narrowed further. */
export function narrowedBy(segment: Segment | null, filters: readonly DimensionFilter[], parts: readonly Condition[] = []): Segment | null {
  const more = [...conditionsOf(filters), ...parts];
  return more.length ? all([...(segment?.where.conditions ?? []), ...more]) : segment;
}

/** Under which the column of a measure stands, of the segment at a place among those side by side. */
export const besideId = (measure: string, place: number): string => `${measure} beside ${place}`;

/** The measure of a column, and the place of its segment among those side by side; null of a column with nothing of its own. */
export function besideOf(id: string): { measure: string; place: number } | null {
  const found = /^(.+) beside (\d)$/.exec(id);
  return found ? { measure: found[1] ?? "", place: Number(found[2]) } : null;
}

const MAX_COLUMNS = 30;

/** A column for each measure, with nothing of its own; then one for each segment beside it, of as many measures as one request takes. */
export function columnsOf(measures: readonly string[], beside: readonly SegmentPart[] = []): Schemas["Column"][] {
  const plain = measures.map((measure) => ({ id: measure, measure }));
  const count = beside.length ? Math.floor((MAX_COLUMNS - plain.length) / beside.length) : 0;
  const theirs = measures
    .slice(0, Math.max(count, 0))
    .flatMap((measure) => beside.map((part, place) => ({ id: besideId(measure, place), measure, segment: segmentOf([], [part]) })));
  return [...plain, ...theirs];
}

function at(columns: Columns, place: number): MeasureValues {
  const made: MeasureValues = { values: {}, before: null, interval: {}, few: [], is_significant: {} };
  for (const { id, values, before, low, high, share_low, share_high, touches, effect, few, is_significant } of columns) {
    made.values[id] = values[place] ?? null;
    if (before) (made.before ??= {})[id] = before[place] ?? null;
    const [from, to] = [low?.[place] ?? share_low?.[place], high?.[place] ?? share_high?.[place]];
    if (from != null && to != null) made.interval[id] = { low: from, high: to };
    if (few?.[place]) made.few.push(id);
    if (touches && effect) (made.removal ??= {})[id] = { touches: touches[place] ?? 0, effect: effect[place] ?? 0 };
    if (is_significant) made.is_significant[id] = is_significant[place] ?? false;
  }
  return made;
}

/** The figures of a row behind which nothing stands. */
export const noFigures = (measures: readonly { name: string; unit: string }[]): MeasureValues => ({
  values: Object.fromEntries(measures.map(({ name, unit }) => [name, unit === "count" || unit === "money" ? 0 : null])),
  before: null,
  interval: {},
  few: [],
  is_significant: {},
});

export function tableByRow({ dimensions, versus, rows, count, columns, total, rest, notes }: Schemas["TableResult"]): Table {
  return {
    dimensions,
    rows: rows.map((keys, place) => ({ keys, ...at(columns, place) })),
    count,
    total: at(total, 0),
    rest: rest ? { rows: rest.rows, figures: at(rest.columns, 0) } : null,
    versus,
    notes,
  };
}

export function seriesByBucket({ period, bucket, at: starts, columns, courses, total, notes }: Schemas["SeriesResult"]): Series {
  const points = starts.map((start, place) => {
    const { values, before } = at(courses[0]?.columns ?? columns, place);
    return { at: start, values, before };
  });
  return { period, bucket, points, total: at(total, 0), notes };
}

/** One value of one dimension, in two groups. */
export interface ComparedRow {
  dimension: string;
  value: string;
  a: number;
  b: number;
  ratio: number | null;
  low: number | null;
  high: number | null;
  p: number;
  corrected: number;
}

/** A comparison by row. */
export function comparedByRow({ dimensions, values, a, b, ratio, low, high, p, corrected, made_of, ...rest }: Schemas["CompareResult"]) {
  const rows = values.map((value, place): ComparedRow => ({
    dimension: dimensions[place] ?? "",
    value,
    a: a[place] ?? 0,
    b: b[place] ?? 0,
    ratio: ratio[place] ?? null,
    low: low[place] ?? null,
    high: high[place] ?? null,
    p: p[place] ?? 1,
    corrected: corrected[place] ?? 1,
  }));
  return { ...rest, rows, madeOf: made_of };
}
