import type { Schemas, SegmentPart } from "@/api/client";
import { segmentOf } from "@/api/figures";
import { isRecord } from "@/state/address";
import { isText } from "@/state/shown";
import { MODELS, type CreditModel, type Reach } from "@/words/attribution";

/** A column: what is credited, by which model, from how far back, and for whom. */
export interface CreditColumn {
  measure: "conversions" | "value";
  model: CreditModel;
  reach: Reach;
  /** The saved segment of its conversions. */
  segment?: number;
  /** Another goal than the one steered by. */
  goal?: number;
  /** A product that was bought, instead of a goal. */
  product?: string;
}

/** What the view shows: its columns, what rows open into, and how direct visits count. */
export interface Shown {
  columns: CreditColumn[];
  into: string;
  countsDirect: boolean;
  /** Whether credit is told as a share of its column. */
  asShares: boolean;
  /** Whether shares are shown with their intervals. */
  withIntervals: boolean;
  /** The place of the column that rows are sorted by. */
  sort: number;
  open: string[];
  /** By which other model the rows below one share out what it is credited, by its value. */
  below: Record<string, string>;
}

const of = (name: string): CreditModel => MODELS.find((one) => one.value === name)?.model ?? "linear";
export const USUAL: Shown = {
  columns: ["first", "linear", "position", "last"].map((name) => ({ measure: "conversions", model: of(name), reach: 30 })),
  into: "campaign",
  countsDirect: false,
  asShares: false,
  withIntervals: false,
  sort: 3,
  open: [],
  below: {},
};
export const MAX_COLUMNS = 12;
const MAX_OPEN = 30;

const isWeight = (given: unknown): given is number => typeof given === "number" && given >= 0 && given <= 1e6;

function readModel(given: unknown): CreditModel | null {
  if (typeof given === "string") return MODELS.find((one) => one.model === given)?.model ?? null;
  if (!isRecord(given)) return null;
  const { kind, first, between, last, half_life_days: life } = given;
  if (kind === "position based" && isWeight(first) && isWeight(between) && isWeight(last) && first + between + last > 0)
    return { kind, first, between, last };
  return kind === "time decay" && isWeight(life) && life >= 0.001 && life <= 3650 ? { kind, half_life_days: life } : null;
}

function readColumn(given: unknown): CreditColumn | null {
  if (!isRecord(given)) return null;
  const model = readModel(given["model"]);
  const { reach, segment, goal, product } = given;
  const isDays = typeof reach === "number" && Number.isInteger(reach) && reach >= 1 && reach <= 365;
  if (!model || !(isDays || reach === "own visit")) return null;
  return {
    measure: given["measure"] === "value" ? "value" : "conversions",
    model,
    reach,
    ...(typeof segment === "number" ? { segment } : {}),
    ...(typeof goal === "number" ? { goal } : {}),
    ...(isText(product) ? { product } : {}),
  };
}

/** What an address says of it. */
export function readCredit(given: unknown): Shown | null {
  if (!isRecord(given) || !Array.isArray(given["columns"])) return null;
  const columns = given["columns"].slice(0, MAX_COLUMNS).flatMap((one) => readColumn(one) ?? []);
  if (!columns.length) return null;
  const sort = Number(given["sort"]);
  return {
    columns,
    into: isText(given["into"]) ? given["into"] : USUAL.into,
    countsDirect: given["countsDirect"] === true,
    asShares: given["asShares"] === true,
    withIntervals: given["withIntervals"] === true,
    sort: Number.isInteger(sort) && sort >= 0 && sort < columns.length ? sort : 0,
    open: Array.isArray(given["open"]) ? given["open"].filter(isText).slice(0, MAX_OPEN) : [],
    below: isRecord(given["below"])
      ? Object.fromEntries(
          Object.entries(given["below"]).filter(
            (one): one is [string, string] => isText(one[1]) && MODELS.some(({ value }) => value === one[1]),
          ),
        )
      : {},
  };
}

/** Under which a column stands in a request; and those of the two ends, which say whether a value begins or closes. */
export const idAt = (place: number): string => `c${place}`;
export const [FIRST, LAST] = ["first", "last"] as const;

/** The columns as the API takes them. */
export function requested({ columns, countsDirect, withIntervals }: Shown, isThere: (segment: number) => boolean): Schemas["Column"][] {
  const plain = (id: string, column: CreditColumn): Schemas["Column"] => {
    const { measure, model, reach, segment, goal, product } = column;
    const part: SegmentPart[] = segment !== undefined && isThere(segment) ? [{ kind: "saved", id: segment }] : [];
    return {
      id,
      measure,
      model,
      reach,
      counts_direct: countsDirect,
      segment: segmentOf([], part),
      ...(product ? { product } : goal === undefined ? {} : { goal }),
    };
  };
  const reach = columns[0]?.reach ?? 30;
  const ends = { measure: "conversions", reach: reach === "own visit" ? 30 : reach } as const;
  return [
    ...columns.map((one, place) => ({
      ...plain(idAt(place), one),
      ...(withIntervals && one.measure === "conversions" && one.model !== "removal effect" ? { with_interval: true } : {}),
    })),
    plain(FIRST, { ...ends, model: "first touch" }),
    plain(LAST, { ...ends, model: "last touch" }),
  ];
}
