import { isRecord } from "@/state/address";
import { isText } from "@/state/shown";

/** A credit that is opened: its column, its row (all without one), what stands there, and the share that its own is held against. */
export interface OpenedCell {
  place: number;
  path: { dimension: string; value: string }[];
  credit: number;
  against?: number;
  /** By the removal effect: on how many touches it rests, and how much less would convert. */
  removal?: { touches: number; effect: number };
  /** The interval of its share. */
  interval?: { low: number; high: number };
}

/** Two numbers under these names; null of anything else. */
function pairOf<Name extends string>(given: unknown, one: Name, other: Name): Record<Name, number> | null {
  if (!isRecord(given) || typeof given[one] !== "number" || typeof given[other] !== "number") return null;
  return { [one]: given[one], [other]: given[other] } as Record<Name, number>;
}

/** What an address says is opened. */
export function readCell(given: unknown): OpenedCell | null {
  if (!isRecord(given) || !Number.isInteger(given["place"]) || typeof given["credit"] !== "number" || !Array.isArray(given["path"]))
    return null;
  const path = given["path"].filter(
    (one: unknown): one is { dimension: string; value: string } => isRecord(one) && isText(one["dimension"]) && isText(one["value"]),
  );
  const against = given["against"];
  const [removal, interval] = [pairOf(given["removal"], "touches", "effect"), pairOf(given["interval"], "low", "high")];
  return {
    place: Number(given["place"]),
    path,
    credit: given["credit"],
    ...(typeof against === "number" ? { against } : {}),
    ...(removal ? { removal } : {}),
    ...(interval ? { interval } : {}),
  };
}
