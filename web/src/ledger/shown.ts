import { useEffect, useRef, useState } from "react";

import { isSort, type Sort } from "@/ledger/columns";
import type { RowCondition } from "@/ledger/rowSearch";
import { isRecord } from "@/state/address";
import { isText } from "@/state/shown";
import { useDebouncedValue } from "@/state/useDebouncedValue";

/** Rows that are opened, by their path, and to how many rows. */
export type OpenRows = [string[], number][];

/** How a table that stands in a view is read: its order, what is looked for in it, which rows are opened and to how many rows, whether all are wanted. */
export interface Shown {
  sort?: Sort;
  query?: string;
  where?: RowCondition[];
  open?: OpenRows;
  whole?: true;
}

const MAX_OPEN = 50;
const MAX_OPEN_TEXT = 6_000;
const MAX_WHERE = 20;
export const NOTHING_SHOWN: Shown = {};
export const NOTHING_OPEN: OpenRows = [];

/** Of more than an address holds those that were opened last. */
const lastOpened = (open: OpenRows): OpenRows => {
  const kept = open.slice(-MAX_OPEN);
  while (JSON.stringify(kept).length > MAX_OPEN_TEXT) kept.shift();
  return kept;
};

const isCondition = (given: unknown): given is RowCondition =>
  isRecord(given) && isText(given["of"]) && isText(given["test"]) && (isText(given["value"]) || typeof given["value"] === "number");

const isOpened = (given: unknown): given is [string[], number] =>
  Array.isArray(given) &&
  given.length === 2 &&
  Array.isArray(given[0]) &&
  given[0].every(isText) &&
  Number.isInteger(given[1]) &&
  given[1] > 0;

/** What an address says of it; whether a condition can be read, the server says. */
export function readShown(given: unknown): Shown | null {
  if (!isRecord(given)) return null;
  const found: Shown = {};
  if (isSort(given["sort"])) found.sort = given["sort"];
  if (isText(given["query"]) && given["query"]) found.query = given["query"];
  const listed = (key: string): unknown[] => (Array.isArray(given[key]) ? given[key] : []);
  const [where, open] = [listed("where").filter(isCondition), listed("open").filter(isOpened)];
  if (where.length) found.where = where.slice(0, MAX_WHERE);
  if (open.length) found.open = lastOpened(open);
  if (given["whole"] === true) found.whole = true;
  return found;
}

/** The same with some of it another way; what is as usual is not said. */
export const shownWith = (was: Shown, change: { [Key in keyof Shown]?: Shown[Key] | undefined }): Shown =>
  readShown({ ...was, ...change }) ?? NOTHING_SHOWN;

/** What is looked for in a table: as it is typed, and as it has `rested` since, which is when it is asked and said in the address. */
export function useLookedFor(shown: Shown, setShown: (change: (was: Shown) => Shown) => void) {
  const [query, setQuery] = useState(shown.query ?? "");
  const [conditions, setConditions] = useState(shown.where ?? []);
  const rested = useDebouncedValue({ query, where: conditions }, 250);
  const said = useRef(rested);
  useEffect(() => {
    if (said.current === rested) return;
    said.current = rested;
    setShown((was) => shownWith(was, rested));
  }, [rested, setShown]);
  return { query, setQuery, conditions, setConditions, rested };
}
