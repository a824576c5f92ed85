import {
  columnFilteringFeature,
  columnOrderingFeature,
  columnResizingFeature,
  columnSizingFeature,
  columnVisibilityFeature,
  createFilteredRowModel,
  createSortedRowModel,
  globalFilteringFeature,
  rowSortingFeature,
  tableFeatures,
  type ColumnDef,
} from "@tanstack/react-table";
import type { ReactNode } from "react";

import { isRecord } from "@/state/address";

export type CellValue = string | number | null;

/** What columns of measures are called here, by the name of the measure; others bear its title. */
export type Heads = Readonly<Partial<Record<string, string>>>;

/** What the control of a cell bears, so that the arrow keys find it. */
export interface CellControl {
  "data-cell": string;
  tabIndex: number;
}

/** What the cell of a row bears; of all cells Tab comes to one, the `active` of its row. */
export const cellControl = (row: number, column: number, active: number | null): CellControl => ({
  "data-cell": `${row} ${column}`,
  tabIndex: active === column ? 0 : -1,
});

/** A column of a ledger. */
export interface LedgerColumn<Row> {
  id: string;
  head: string;
  /** What stands behind the head: a unit. */
  unit?: string;
  meaning?: string | undefined;
  /** In pixels; without one it takes what is left. */
  width?: number;
  isNumber?: boolean;
  isLead?: boolean;
  isQuiet?: boolean;
  /** Whether a long text takes several lines. */
  isWrapped?: boolean;
  /** Stands beside the head, where the head is not words alone. */
  axis?: ReactNode;
  /** Whether its head is only read aloud: what stands below says it itself. */
  isHeadUnseen?: boolean;
  /** Whether rows can be ordered by it. */
  isSortable?: boolean;
  /** What a row is ordered by, and what is copied. */
  value: (row: Row) => CellValue;
  /** What is shown; the value itself without it. A cell with a control passes on what the control bears. */
  cell?: (row: Row, control: CellControl, isTotal: boolean) => ReactNode;
  hasControl?: boolean;
}

export interface Sort {
  by: string;
  descending: boolean;
}

/** How a table is sorted, as an address says it. */
export const isSort = (given: unknown): given is Sort =>
  isRecord(given) && typeof given["by"] === "string" && given["by"].length <= 100 && typeof given["descending"] === "boolean";

const collator = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

/** Ascending; nothing stands last whichever way it is sorted, which the table sees to. */
export function compared(a: CellValue | undefined, b: CellValue | undefined): number {
  if (typeof a === "number" && typeof b === "number") return a - b;
  return collator.compare(String(a ?? ""), String(b ?? ""));
}

/** Whether every word that is looked for stands somewhere in a row. */
export const fits = (texts: readonly CellValue[], query: string): boolean => {
  const whole = texts.join(" ").toLowerCase();
  return query
    .toLowerCase()
    .split(/\s+/)
    .every((word) => whole.includes(word));
};

/** Rows as a list shows them: those that hold all words, in its order; nothing stands last whichever way it is sorted. */
export function inOrder<Row>(rows: readonly Row[], columns: readonly LedgerColumn<Row>[], sort: Sort, query: string): Row[] {
  const by = columns.find((column) => column.id === sort.by);
  const kept = rows.filter((row) =>
    fits(
      columns.map((column) => column.value(row)),
      query.trim(),
    ),
  );
  if (!by) return kept;
  const direction = sort.descending ? -1 : 1;
  return kept.sort((a, b) => {
    const [one, other] = [by.value(a), by.value(b)];
    if (one === null || other === null) return Number(one === null) - Number(other === null);
    return direction * compared(one, other);
  });
}

export const features = tableFeatures({
  columnFilteringFeature,
  columnOrderingFeature,
  columnResizingFeature,
  columnSizingFeature,
  columnVisibilityFeature,
  globalFilteringFeature,
  rowSortingFeature,
  filteredRowModel: createFilteredRowModel(),
  sortedRowModel: createSortedRowModel(),
});

/** The column as the table library knows it. */
export const definition = <Row extends object>(column: LedgerColumn<Row>): ColumnDef<typeof features, Row> => ({
  id: column.id,
  accessorFn: (row: Row) => column.value(row) ?? undefined,
  sortUndefined: "last",
  sortFn: (a, b, id) => compared(a.getValue<CellValue>(id), b.getValue<CellValue>(id)),
  ...(column.width === undefined ? {} : { size: column.width }),
  minSize: 40,
});

// What a sheet would take for a formula.
const FORMULA = /^[=+\-@\t\r]/;

/** A value as it is pasted into a sheet: no text becomes a formula there, none breaks a line. */
export function pasted(value: CellValue): string {
  if (value === null) return "";
  if (typeof value === "number") return String(value);
  const text = value.replace(/\s+/g, " ");
  return FORMULA.test(text) ? `'${text}` : text;
}
