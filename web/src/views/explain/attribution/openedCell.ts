import { isRecord } from "@/state/address";
import { isText } from "@/state/shown";

/** A credit that is opened: its column, its row (all without one), what stands there, and the share that its own is held against. */
export interface OpenedCell {
  place: number;
  path: { dimension: string; value: string }[];
  credit: number;
  against?: number;
}

/** What an address says is opened. */
export function readCell(given: unknown): OpenedCell | null {
  if (!isRecord(given) || !Number.isInteger(given["place"]) || typeof given["credit"] !== "number" || !Array.isArray(given["path"]))
    return null;
  const path = given["path"].filter(
    (one: unknown): one is { dimension: string; value: string } => isRecord(one) && isText(one["dimension"]) && isText(one["value"]),
  );
  const against = given["against"];
  return { place: Number(given["place"]), path, credit: given["credit"], ...(typeof against === "number" ? { against } : {}) };
}
