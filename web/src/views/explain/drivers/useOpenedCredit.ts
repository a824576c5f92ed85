import type { Schemas } from "@/api/client";
import { readCell, type OpenedCell } from "@/views/explain/attribution/openedCell";
import { useOpened } from "@/views/shared/useOpened";

/** The columns of credit on the sheet, in their order; those of pages is the linear one. */
const COLUMNS = [
  { id: "first", measure: "conversions", model: "first touch", reach: 30 },
  { id: "linear", measure: "conversions", model: "linear", reach: 30 },
  { id: "last", measure: "conversions", model: "last touch", reach: 30 },
] as const satisfies readonly Schemas["Column"][];

/** The credit of a row that is opened, as its drawer takes it, and how one is opened. `table`: whose totals are those of all. */
export function useOpenedCredit(by: "channel" | "page", table: Schemas["TableResult"]) {
  const [opened, open, drawer] = useOpened<OpenedCell>(`opened credit by ${by}`, readCell);
  const column = opened && COLUMNS[opened.place];
  const of = (column && table.total.find((one) => one.id === column.id)?.values[0]) ?? 0;
  const shown = opened &&
    column && { column, path: opened.path, by, credit: opened.credit, of, against: null, heldAgainst: "", isShared: false, ...drawer };
  const openOne = (id: "first" | "linear" | "last", value: string, credit: number) =>
    open({ place: COLUMNS.findIndex((one) => one.id === id), path: [{ dimension: by, value }], credit });
  return [shown, openOne] as const;
}
