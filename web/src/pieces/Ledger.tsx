import { scaleLinear } from "d3-scale";
import { useRef, useState, type KeyboardEvent, type MouseEvent, type ReactNode } from "react";

import type { MeasureValues, Measure, Table } from "@/api/client";
import { RateAxis, RateMark, type Rate } from "@/pieces/Marks";
import { Button } from "@/ui/Button";
import { figure, unitOf } from "@/words/format";

export interface Column {
  measure: Measure;
  head: string;
  lead?: boolean;
  /** The value in the versus period stands in a column of its own behind this one. */
  before?: boolean;
  /** A share drawn on a common scale. */
  marks?: boolean;
}

interface LedgerProps {
  name: string;
  first: string;
  table: Table;
  columns: Column[];
  currency: string;
  words: (key: string) => string;
  sort: string;
  onSort: (measure: string) => void;
  onValue: (key: string, without: boolean) => void;
  onOpen: (measure: string, key: string | null) => void;
  rest?: { what: string; onMore: () => void } | undefined;
  empty: ReactNode;
}

const MARKS = 140;

/** The top of the common scale: the highest rate that is no accident of few visits, and some room for its interval. */
function rateScale(table: Table, name: string) {
  const sure = table.rows.filter((row) => !row.few?.includes(name));
  const seen = [...sure, table.total].flatMap((row) => [
    row.values[name] ?? 0,
    row.before?.[name] ?? 0,
    (row.interval?.[name]?.high ?? 0) * 0.85,
  ]);
  return scaleLinear([0, Math.min(Math.max(...seen, 0.01), 1)], [4, MARKS - 4]).nice(3);
}

/** The one table of the product. Arrows move from cell to cell, Enter takes a value or opens a number up. */
export function Ledger({ name, first, table, columns, currency, words, sort, onSort, onValue, onOpen, rest, empty }: LedgerProps) {
  const grid = useRef<HTMLTableElement>(null);
  const [here, setHere] = useState<[number, number]>([0, 0]);
  const marked = columns.find((column) => column.marks);
  const scale = marked ? rateScale(table, marked.measure.name) : null;
  const all = marked ? (table.total.values[marked.measure.name] ?? null) : null;

  const moved = (event: KeyboardEvent<HTMLTableElement>) => {
    const by: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
    const step = by[event.key];
    const cell = (event.target as HTMLElement).dataset["cell"];
    if (!step || !cell) return;
    event.preventDefault();
    const [row, column] = cell.split(" ").map(Number) as [number, number];
    const to: [number, number] = [row + step[0], column + step[1]];
    const found = grid.current?.querySelector<HTMLElement>(`[data-cell="${to[0]} ${to[1]}"]`);
    if (found) {
      setHere(to);
      found.focus();
    }
  };
  const cell = (row: number, column: number) => ({
    "data-cell": `${row} ${column}`,
    tabIndex: here[0] === row && here[1] === column ? 0 : -1,
    onFocus: () => setHere([row, column]),
  });
  const numbers = (figures: MeasureValues, row: number, key: string | null, label: string) =>
    columns.map((column, i) => (
      <Numbers
        key={column.measure.name}
        column={column}
        figures={figures}
        label={label}
        cell={cell(row, i + 1)}
        onOpen={() => onOpen(column.measure.name, key)}
        draw={(rate) =>
          scale && <RateMark rate={rate} all={all} scale={scale} width={MARKS} height={row === table.rows.length ? 27 : 24} />
        }
        versus={table.versus !== null}
      />
    ));

  return (
    <div className="ledger-box">
      <table className="ledger" role="grid" aria-label={name} ref={grid} onKeyDown={moved}>
        <colgroup>
          <col />
          {columns.map((column) => (
            <Widths key={column.measure.name} column={column} versus={table.versus !== null} />
          ))}
        </colgroup>
        <thead>
          <tr>
            <th scope="col">{first}</th>
            {columns.map((column) => (
              <Head
                key={column.measure.name}
                column={column}
                currency={currency}
                by={sort === column.measure.name}
                versus={table.versus !== null}
                onSort={onSort}
              >
                {scale && <RateAxis all={all} scale={scale} width={MARKS} />}
              </Head>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row, i) => {
            const key = row.keys[0] ?? "";
            return (
              <tr key={key}>
                <th scope="row">
                  <button
                    type="button"
                    className="link value-name"
                    title={`${words(key)}: only these (with Alt: without these)`}
                    onClick={(event: MouseEvent) => onValue(key, event.altKey)}
                    onKeyDown={(event) => {
                      if (event.key === "Enter" && event.altKey) {
                        event.preventDefault();
                        onValue(key, true);
                      } else if (event.key === "o") {
                        event.preventDefault();
                        onOpen(sort, key);
                      }
                    }}
                    {...cell(i, 0)}
                  >
                    {words(key)}
                  </button>
                </th>
                {numbers(row, i, key, words(key))}
              </tr>
            );
          })}
          {rest && table.rest && (
            <tr className="rest">
              <th scope="row">
                <Button kind="quiet" onClick={rest.onMore}>
                  {rest.what}
                </Button>
              </th>
              {columns.map((column) => (
                <RestCell key={column.measure.name} column={column} figures={table.rest?.figures} versus={table.versus !== null} />
              ))}
            </tr>
          )}
        </tbody>
        {table.rows.length > 0 && (
          <tfoot>
            <tr>
              <th scope="row">All visits</th>
              {numbers(table.total, table.rows.length, null, "All visits")}
            </tr>
          </tfoot>
        )}
      </table>
      {table.rows.length === 0 && <div className="empty">{empty}</div>}
    </div>
  );
}

function Widths({ column, versus }: { column: Column; versus: boolean }) {
  return (
    <>
      <col className={column.lead ? "w-lead" : column.marks ? "w-rate" : "w-number"} />
      {column.before && versus && <col className="w-before" />}
      {column.marks && <col className="w-marks" />}
    </>
  );
}

function Head({
  column,
  currency,
  by,
  versus,
  onSort,
  children,
}: {
  column: Column;
  currency: string;
  by: boolean;
  versus: boolean;
  onSort: (measure: string) => void;
  children: ReactNode;
}) {
  return (
    <>
      <th scope="col" className={by ? "num by" : "num"} aria-sort={by ? "descending" : undefined}>
        <button type="button" onClick={() => onSort(column.measure.name)} title={column.measure.meaning}>
          {column.head}
          {unitOf(column.measure.unit, currency)}
        </button>
      </th>
      {column.before && versus && (
        <th scope="col" className="num">
          Before
        </th>
      )}
      {column.marks && (
        <th scope="col" className="marks">
          <span className="unseen">{column.head} as marks</span>
          {children}
        </th>
      )}
    </>
  );
}

interface NumbersProps {
  column: Column;
  figures: MeasureValues;
  label: string;
  cell: object;
  onOpen: () => void;
  draw: (rate: Rate) => ReactNode;
  versus: boolean;
}

function Numbers({ column, figures, label, cell, onOpen, draw, versus }: NumbersProps) {
  const { name, unit } = column.measure;
  const shown = figure(figures.values[name], unit);
  const { low, high } = figures.interval?.[name] ?? {};
  return (
    <>
      <td className={column.lead ? "num lead" : "num"}>
        {figures.few?.includes(name) && <span className="few">few</span>}
        <button
          type="button"
          className="number"
          data-opens
          aria-label={`${label}, ${column.head}: ${shown}; open up`}
          onClick={onOpen}
          onKeyDown={(event) => {
            if (event.key === "o") {
              event.preventDefault();
              onOpen();
            }
          }}
          {...cell}
        >
          {shown}
        </button>
      </td>
      {column.before && versus && <td className="num quiet">{figure(figures.before?.[name], unit)}</td>}
      {column.marks && <td className="marks">{draw({ now: figures.values[name], before: figures.before?.[name], low, high })}</td>}
    </>
  );
}

function RestCell({ column, figures, versus }: { column: Column; figures: MeasureValues | undefined; versus: boolean }) {
  const { name, unit } = column.measure;
  return (
    <>
      <td className={column.lead ? "num lead" : "num"}>{figure(figures?.values[name], unit)}</td>
      {column.before && versus && <td className="num quiet">{figure(figures?.before?.[name], unit)}</td>}
      {column.marks && <td />}
    </>
  );
}

/** The shape of a ledger that is on its way. */
export function LedgerToCome({ rows = 10 }: { rows?: number }) {
  return (
    <div className="to-come" role="status" aria-busy="true" aria-label="On its way">
      {Array.from({ length: rows + 2 }, (_, i) => (
        <div key={i} />
      ))}
    </div>
  );
}
