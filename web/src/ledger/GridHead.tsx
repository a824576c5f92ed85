import { clsx } from "clsx";
import type { ReactNode } from "react";

import type { CellControl, LedgerColumn, Sort } from "@/ledger/columns";

export const HEAD = "border-b border-ink-2 bg-sheet pb-1 align-bottom text-label font-normal whitespace-nowrap text-ink-2";
interface HeadProps<Row> {
  column: LedgerColumn<Row>;
  sort: Sort;
  onSort: (sort: Sort) => void;
  control: CellControl;
  isFirst: boolean;
  children: ReactNode;
}

/** The head of a column: it sorts, and it is widened at its edge. */
export function Head<Row>({ column, sort, onSort, control, isFirst, children }: HeadProps<Row>) {
  const isBy = sort.by === column.id;
  const words = `${column.head}${column.unit ?? ""}`;
  const next = { by: column.id, descending: isBy ? !sort.descending : Boolean(column.isNumber) };
  return (
    <th
      scope="col"
      className={clsx(
        HEAD,
        "sticky top-0",
        isFirst ? "left-0 z-3 text-left" : "z-2",
        column.isNumber ? "pl-1.5 text-right" : !isFirst && "pl-3 text-left",
      )}
      aria-sort={isBy ? (sort.descending ? "descending" : "ascending") : undefined}
    >
      {column.axis ? (
        <>
          <span className="sr-only">{words}</span>
          {column.axis}
        </>
      ) : column.isSortable === false ? (
        <span className={column.isHeadUnseen ? "sr-only" : "block truncate"} title={column.meaning}>
          {words}
        </span>
      ) : (
        <button
          type="button"
          className={clsx("max-w-full truncate align-bottom", isBy && "font-semibold text-ink")}
          title={column.meaning}
          onClick={() => onSort(next)}
          {...control}
        >
          {isBy && <Way descending={sort.descending} />}
          {words}
        </button>
      )}
      {children}
    </th>
  );
}

const Way = ({ descending }: { descending: boolean }) => (
  <svg width="7" height="5" viewBox="0 0 7 5" className="mr-1 inline-block align-[2px]" aria-hidden="true">
    <path d={descending ? "M0 0h7L3.5 5z" : "M0 5h7L3.5 0z"} fill="currentColor" />
  </svg>
);
