import { useTable, type Row as TableRow } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { clsx } from "clsx";
import { useEffect, useLayoutEffect, useMemo, useRef, useState, type ClipboardEvent, type KeyboardEvent, type ReactNode } from "react";

import { cellControl, definition, features, fits, pasted, type LedgerColumn, type Sort } from "@/ledger/columns";
import { Head, HEAD } from "@/ledger/GridHead";
import { Line, type Opening } from "@/ledger/GridLine";
import { MoreBeside } from "@/ledger/MoreBeside";

const ROW = 25;
/** From so many rows on, only those in sight are drawn. */
const MANY = 60;
const NARROWEST = 40;
const STEP = 16;
const FIRST_AT_LEAST = 104;
const MENU_WIDTH = 24;
const PAGE = 20;

interface GridProps<Row extends object> {
  name: string;
  /** All columns that are shown, in their order; the first names the row. */
  columns: LedgerColumn<Row>[];
  rows: Row[];
  rowId: (row: Row) => string;
  /** Sums under the rows. */
  total?: Row | undefined;
  sort: Sort;
  onSort: (sort: Sort) => void;
  /** Whether the rows come in the order that was asked for. */
  isSorted?: boolean;
  /** Words that all shown rows hold. */
  query?: string;
  widths: Record<string, number>;
  onWidths: (widths: Record<string, number>) => void;
  opening?: (row: Row) => Opening;
  /** What stands under a row, over its whole width. */
  details?: (row: Row) => ReactNode;
  /** What can be done with a row. */
  menu?: (row: Row) => ReactNode;
  isCurrent?: (row: Row) => boolean;
  /** Whether rows are of what was asked before, for as long as the answer takes. */
  isHeld?: boolean;
  /** How many rows there are, where not all are here yet; and what brings more. */
  count?: number;
  onEnd?: () => void;
  empty?: ReactNode;
}

/** A table of any length. Arrows go from cell to cell, Enter does what the cell offers, Space opens a row, the menu key what can be done with it. */
export function Grid<Row extends object>(props: GridProps<Row>) {
  const { name, columns, rows, rowId, total, sort, onSort, isSorted = false, query = "", widths, onWidths, count, onEnd, empty } = props;
  const box = useRef<HTMLDivElement>(null);
  const [here, setHere] = useState<[number, number]>([0, 0]);
  const wanted = useRef<string | null>(null);
  const definitions = useMemo(() => columns.map(definition), [columns]);
  const table = useTable({
    features,
    data: rows,
    columns: definitions,
    getRowId: rowId,
    state: {
      sorting: columns.some((column) => column.id === sort.by) ? [{ id: sort.by, desc: sort.descending }] : [],
      globalFilter: query.trim(),
      columnSizing: widths,
    },
    onColumnSizingChange: (to) => onWidths(typeof to === "function" ? to(widths) : to),
    columnResizeMode: "onChange",
    manualSorting: isSorted,
    manualFiltering: isSorted,
    enableSortingRemoval: false,
    getColumnCanGlobalFilter: () => true,
    globalFilterFn: (row, _, text: string) =>
      fits(
        columns.map((column) => column.value(row.original)),
        text,
      ),
  });
  const shown = table.getRowModel().rows;
  const isLong = shown.length > MANY;
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    getItemKey: (index) => shown[index]?.id ?? index,
    overscan: 12,
    enabled: isLong,
  });
  const inSight = isLong ? virtual.getVirtualItems() : null;
  const drawn = inSight ? inSight.map((one) => one.index) : shown.map((_, index) => index);
  const before = inSight?.[0]?.start ?? 0;
  const behind = inSight ? virtual.getTotalSize() - (inSight.at(-1)?.end ?? 0) : 0;
  const last = drawn.at(-1);
  useEffect(() => {
    if (onEnd && last !== undefined && last >= shown.length - PAGE) onEnd();
  }, [onEnd, last, shown.length]);
  const focusOn = (cell: string): boolean => {
    const found = box.current?.querySelector<HTMLElement>(`[data-cell="${cell}"]`);
    found?.focus();
    // What has the focus already may have been scrolled out of sight.
    found?.scrollIntoView({ block: "nearest", inline: "nearest" });
    return found !== undefined && found !== null;
  };
  // In the same turn in which its row is drawn and the one that had the focus may have gone.
  useLayoutEffect(() => {
    if (wanted.current) focusOn(wanted.current);
  });

  const width = columns.length + (props.menu ? 1 : 0);
  const lines = shown.length + (total ? 1 : 0);
  const go = (row: number, column: number) => {
    const to = Math.min(Math.max(row, -1), lines - 1);
    const cell = `${to} ${Math.min(Math.max(column, 0), width - 1)}`;
    if (focusOn(cell)) return;
    // It takes the focus once its row is drawn.
    wanted.current = cell;
    virtual.scrollToIndex(to);
  };
  const pressed = (event: KeyboardEvent<HTMLElement>) => {
    const cell = (event.target as HTMLElement).closest<HTMLElement>("[data-cell]")?.dataset["cell"];
    if (cell === undefined || event.defaultPrevented) return;
    // Keys that come quicker than rows are drawn go on from where the last one leads.
    const [row, column] = (wanted.current ?? cell).split(" ").map(Number) as [number, number];
    if (event.altKey && row === -1 && (event.key === "ArrowLeft" || event.key === "ArrowRight")) {
      event.preventDefault();
      const of = table.getVisibleLeafColumns()[column];
      if (of) onWidths({ ...widths, [of.id]: Math.max(of.getSize() + (event.key === "ArrowLeft" ? -STEP : STEP), NARROWEST) });
      return;
    }
    const ends = event.ctrlKey || event.metaKey;
    const to: Record<string, [number, number]> = {
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
      ArrowLeft: [row, column - 1],
      ArrowRight: [row, column + 1],
      Home: [ends ? 0 : row, 0],
      End: [ends ? lines - 1 : row, width - 1],
      PageUp: [row - PAGE, column],
      PageDown: [row + PAGE, column],
    };
    const record = shown[row]?.original;
    if (to[event.key] && !event.altKey) {
      event.preventDefault();
      go(...(to[event.key] as [number, number]));
    } else if (event.key === " " && column === 0 && record && props.opening?.(record).toggle) {
      event.preventDefault();
      props.opening(record).toggle?.();
    } else if ((event.key === "ContextMenu" || event.key === "m") && record && props.menu) {
      event.preventDefault();
      const trigger = box.current?.querySelector<HTMLElement>(`[data-cell="${row} ${width - 1}"]`);
      trigger?.focus();
      // Menus open by keys and by pointers, not by a click alone.
      trigger?.dispatchEvent(new window.KeyboardEvent("keydown", { key: "Enter", bubbles: true }));
    }
  };
  const copied = (event: ClipboardEvent) => {
    const cell = document.activeElement?.closest<HTMLElement>("[data-cell]")?.dataset["cell"];
    if (cell === undefined || !document.getSelection()?.isCollapsed) return;
    const [row, column] = cell.split(" ").map(Number) as [number, number];
    const record = row === shown.length ? total : shown[row]?.original;
    const value = record && columns[column]?.value(record);
    if (value === undefined) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", pasted(value));
  };
  // Tab comes to the cell that had the focus last; where its row was scrolled away, to the first in sight.
  const isAway = here[0] >= 0 && here[0] < shown.length && !drawn.includes(here[0]);
  const active = isAway ? drawn[0] : Math.min(here[0], lines - 1);
  const line = (row: Row, place: number, isTotal: boolean) => (
    <Line
      key={isTotal ? "total" : rowId(row)}
      columns={columns}
      row={row}
      place={place}
      active={active === place ? here[1] : null}
      isTotal={isTotal}
      opening={props.opening}
      menu={props.menu}
      isCurrent={props.isCurrent}
      isHeld={props.isHeld ?? false}
    />
  );
  const widthOf = (column: LedgerColumn<Row>) => widths[column.id] ?? column.width;
  const fixed = columns.reduce((sum, one) => sum + (widthOf(one) ?? FIRST_AT_LEAST), props.menu ? MENU_WIDTH : 0);

  return (
    <MoreBeside>
      <div
        ref={box}
        className={clsx("overflow-auto [scrollbar-width:thin]", isLong && "max-h-[max(420px,calc(100vh-260px))] scroll-pt-9")}
        style={{ scrollPaddingInlineStart: (columns[0] && widthOf(columns[0])) ?? FIRST_AT_LEAST }}
        onFocus={(event) => {
          const cell = event.target.closest<HTMLElement>("[data-cell]")?.dataset["cell"];
          if (!cell) return;
          wanted.current = null;
          const [row, column] = cell.split(" ").map(Number) as [number, number];
          setHere((now) => (now[0] === row && now[1] === column ? now : [row, column]));
        }}
        onKeyDown={pressed}
        onCopy={copied}
      >
        <table
          className="w-full table-fixed border-separate border-spacing-0"
          style={{ minWidth: fixed }}
          role={props.opening ? "treegrid" : "grid"}
          aria-label={name}
          aria-rowcount={(count ?? shown.length) + 1 + (total ? 1 : 0)}
          aria-colcount={width}
          data-ledger
        >
          <colgroup>
            {columns.map((one) => (
              <col key={one.id} style={{ width: widthOf(one) }} />
            ))}
            {props.menu && <col style={{ width: MENU_WIDTH }} />}
          </colgroup>
          <thead>
            {table.getHeaderGroups().map((group) => (
              <tr key={group.id} aria-rowindex={1}>
                {group.headers.map((header, place) => {
                  const column = columns[place];
                  if (!column) return null;
                  const resize = header.getResizeHandler();
                  return (
                    <Head
                      key={header.id}
                      column={column}
                      sort={sort}
                      onSort={onSort}
                      control={cellControl(-1, place, here[0] === -1 ? here[1] : null)}
                      isFirst={place === 0}
                    >
                      <span
                        aria-hidden="true"
                        className="absolute inset-y-0 -right-0.5 z-2 w-1.5 cursor-col-resize touch-none hover:bg-sea-2"
                        onMouseDown={resize}
                        onTouchStart={resize}
                      />
                    </Head>
                  );
                })}
                {props.menu && (
                  <th scope="col" className={clsx(HEAD, "sticky top-0 z-1")}>
                    <span className="sr-only">Actions</span>
                  </th>
                )}
              </tr>
            ))}
          </thead>
          {before > 0 && <Gap height={before} />}
          {drawn.map((index) => {
            const row = shown[index] as TableRow<typeof features, Row>;
            const details = props.details?.(row.original);
            return (
              <tbody key={row.id} ref={isLong ? virtual.measureElement : undefined} data-index={index}>
                {line(row.original, index, false)}
                {details && (
                  <tr data-details>
                    <td colSpan={width} className="border-b border-hairline pb-3">
                      {details}
                    </td>
                  </tr>
                )}
              </tbody>
            );
          })}
          {behind > 0 && <Gap height={behind} />}
          {total && shown.length > 0 && <tfoot>{line(total, shown.length, true)}</tfoot>}
        </table>
        {shown.length === 0 && empty && (
          <div className="max-w-[46ch] py-5 text-ink-2" data-empty>
            {empty}
          </div>
        )}
      </div>
    </MoreBeside>
  );
}

function Gap({ height }: { height: number }) {
  return (
    <tbody aria-hidden="true">
      <tr style={{ height }} />
    </tbody>
  );
}
