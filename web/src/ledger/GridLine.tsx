import { clsx } from "clsx";
import { memo, type ReactNode } from "react";

import { cellControl, type LedgerColumn } from "@/ledger/columns";
import { Button } from "@/ui/Button";
import { Chevron, Dots } from "@/ui/icons";
import { Menu } from "@/ui/Menu";

const FIRST = "sticky left-0 z-1 bg-sheet";

/** How a row can be opened in place, and how deep it lies. */
export interface Opening {
  level: number;
  isOpen: boolean;
  toggle?: (() => void) | undefined;
}

interface LineProps<Row extends object> {
  columns: LedgerColumn<Row>[];
  row: Row;
  isTotal: boolean;
  /** Its place among the rows that are shown. */
  place: number;
  /** The column of it that Tab comes to. */
  active: number | null;
  opening?: ((row: Row) => Opening) | undefined;
  /** What can be done with the row. */
  menu?: ((row: Row) => ReactNode) | undefined;
  isCurrent?: ((row: Row) => boolean) | undefined;
  /** Whether rows are of what was asked before, for as long as the answer takes. */
  isHeld: boolean;
}

/** Whether a row that is held stands as it did: only what may happen meanwhile is looked at. What its cells do goes by what is asked when they do it. */
function stands<Row extends object>(was: LineProps<Row>, now: LineProps<Row>): boolean {
  const isSame = (["row", "place", "active", "isTotal"] as const).every((name) => was[name] === now[name]);
  const columns = was.columns.length === now.columns.length && was.columns.every((one, i) => one.id === now.columns[i]?.id);
  const isOpen = (of: LineProps<Row>) => !of.isTotal && of.opening?.(now.row).isOpen;
  return isSame && columns && isOpen(was) === isOpen(now) && was.isCurrent?.(now.row) === now.isCurrent?.(now.row);
}

const unchanged = <Row extends object>(was: LineProps<Row>, now: LineProps<Row>): boolean =>
  now.isHeld ? stands(was, now) : (Object.keys(now) as (keyof LineProps<Row>)[]).every((name) => was[name] === now[name]);

/** One row: what it is called, its cells, what can be done with it. A key that moves the focus draws the two rows it moves between, and no other. */
export const Line = memo(DrawnLine, unchanged) as typeof DrawnLine;

function DrawnLine<Row extends object>({ columns, row, place, active, isTotal, opening, menu, isCurrent }: LineProps<Row>) {
  const at = (column: number) => cellControl(place, column, active);
  const [first, ...others] = columns;
  const opened = isTotal ? undefined : opening?.(row);
  const ground = isTotal
    ? "border-t border-ink-2 h-7 font-semibold"
    : "border-b border-hairline h-[25px] group-hover:bg-[color-mix(in_srgb,var(--color-sea-1)_40%,var(--color-sheet))]";
  return (
    <tr className="group" aria-current={isCurrent?.(row) ? "true" : undefined} aria-level={opened ? opened.level + 1 : undefined}>
      {first && (
        <th
          scope="row"
          role="rowheader"
          className={clsx(
            FIRST,
            ground,
            !isTotal && "font-normal",
            "text-left leading-5 whitespace-nowrap group-aria-current:font-semibold",
          )}
          {...(first.hasControl ? {} : at(0))}
        >
          <span className="flex min-w-0 items-center gap-1" style={opened ? { paddingLeft: opened.level * 16 } : undefined}>
            {opened &&
              (opened.toggle ? (
                <Button
                  kind="icon"
                  className="-ml-1 !min-w-4"
                  tabIndex={-1}
                  aria-expanded={opened.isOpen}
                  aria-label={opened.isOpen ? "Close the row" : "Open the row"}
                  onClick={opened.toggle}
                >
                  <span className={opened.isOpen ? "" : "-rotate-90"}>
                    <Chevron />
                  </span>
                </Button>
              ) : (
                <span className="w-3 shrink-0" />
              ))}
            <span className="min-w-0 flex-1 truncate [&>button]:max-w-full [&>button]:truncate [&>button]:align-bottom">
              {first.cell ? first.cell(row, at(0), isTotal) : first.value(row)}
            </span>
          </span>
        </th>
      )}
      {others.map((column, i) => (
        <td
          key={column.id}
          role="gridcell"
          className={clsx(
            ground,
            "leading-5",
            column.axis ? "pl-2" : column.isWrapped ? "py-0.5 wrap-anywhere" : "truncate",
            column.axis ? "" : column.isNumber ? "pl-1.5 text-right" : "pl-3",
            column.isLead && "font-semibold",
            column.isQuiet && "font-normal text-ink-2",
          )}
          {...(column.isLead ? { "data-lead": true } : {})}
          {...(column.hasControl ? {} : at(i + 1))}
        >
          {column.cell ? column.cell(row, at(i + 1), isTotal) : column.value(row)}
        </td>
      ))}
      {menu && (
        <td role="gridcell" className={clsx(ground, "text-right")}>
          {!isTotal && (
            <Menu
              align="end"
              trigger={
                <Button
                  kind="icon"
                  className="group-hover:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100 [@media(hover:hover)]:opacity-0"
                  aria-label="Actions for this row"
                  {...at(columns.length)}
                >
                  <Dots />
                </Button>
              }
            >
              {menu(row)}
            </Menu>
          )}
        </td>
      )}
    </tr>
  );
}
