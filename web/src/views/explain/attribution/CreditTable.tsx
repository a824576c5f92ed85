import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { scaleLinear } from "@visx/scale";
import { clsx } from "clsx";
import type { ReactNode } from "react";

import { api, type MeasureValues, type Row, type Schemas } from "@/api/client";
import { tableByRow } from "@/api/figures";
import { FIRST, idAt, LAST, MAX_COLUMNS, type CreditColumn, type Shown } from "@/views/explain/attribution/columns";
import { ColumnHead } from "@/views/explain/attribution/ColumnHead";
import { Line, MARKS, nameOf, type LineProps, type Opens, type Shares } from "@/views/explain/attribution/CreditLine";
import { Chosen } from "@/views/shared/Chosen";
import { NamedRow } from "@/views/shared/NamedRow";
import { FigureButton } from "@/ledger/FigureButton";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Chevron } from "@/ui/icons";
import { ErrorState } from "@/ui/states";
import { credit, modelLabel, MODELS } from "@/words/attribution";
import { valueWords, versusWords, within } from "@/words/format";

interface CreditTableProps {
  shown: Shown;
  set: (change: (was: Shown) => Shown) => void;
  request: Schemas["TableRequest"];
  rows: readonly Row[];
  total: MeasureValues;
  /** Opens the credit of a row in a column. */
  onOpen: Opens;
}

/** Credit by model, side by side: how much, what share of its column, and how far that is from what it is held against; rows opened in place. */
export function CreditTable({ shown, set, request, rows, total, onOpen }: CreditTableProps) {
  const { period, versus } = useView();
  const { registry } = useSite();
  const { columns, sort, open } = shown;
  const [dimension = ""] = request.dimensions;
  const title = registry?.dimensions.find((one) => one.name === dimension)?.title ?? dimension;
  const share = (part: number | null | undefined, whole: number | null | undefined) => (part == null || !whole ? null : part / whole);
  const sharesOf: Shares = ({ values, before }, place) => ({
    now: share(values[idAt(place)], total.values[idAt(place)]),
    against: place === 0 ? share(before?.[idAt(0)], total.before?.[idAt(0)]) : share(values[idAt(0)], total.values[idAt(0)]),
  });
  const top = Math.max(
    0.01,
    ...rows.flatMap((row) =>
      columns.flatMap((_, place) => [...Object.values(sharesOf(row, place)), row.interval[idAt(place)]?.high ?? 0].map((one) => one ?? 0)),
    ),
  );
  const scale = scaleLinear({ domain: [0, top], range: [6, MARKS - 6], nice: 3 });
  const change = (place: number, to: CreditColumn) =>
    set((was) => ({ ...was, columns: was.columns.map((one, at) => (at === place ? to : one)) }));
  const toggle = (value: string) =>
    set((was) => ({ ...was, open: was.open.includes(value) ? was.open.filter((one) => one !== value) : [...was.open, value] }));
  const wholeOf = (place: number) => (shown.asShares && total.values[idAt(place)] ? "100" : credit(total.values[idAt(place)]));
  const line = { columns, sharesOf, asShares: shown.asShares, top: scale.domain()[1] ?? 1, onOpen };
  return (
    <div className="relative overflow-x-auto" data-ledger>
      <table className="w-full border-collapse text-body" aria-label="Credit">
        <thead>
          <tr className="border-t border-ink align-bottom">
            <th scope="col" className="min-w-36 pb-1 text-start text-label font-normal text-ink-2" rowSpan={2}>
              ● share of the column
              <br />○ held against
              <br />
              Points: the gap
              <br />
              <span className="text-ink">{title}</span>
            </th>
            {columns.map((column, place) => (
              <th key={place} scope="colgroup" colSpan={3} className="min-w-56 border-l border-hairline pt-2 pl-3 align-top">
                <ColumnHead
                  {...{ column, place }}
                  count={columns.length}
                  against={
                    place > 0
                      ? modelLabel(columns[0]?.model ?? "linear").toLowerCase()
                      : versus === "none"
                        ? "nothing"
                        : versusWords(period, versus)
                  }
                  set={(to) => change(place, to)}
                  onCopy={
                    columns.length < MAX_COLUMNS
                      ? () =>
                          set((was) => ({ ...was, columns: [...was.columns.slice(0, place + 1), column, ...was.columns.slice(place + 1)] }))
                      : null
                  }
                  onMove={(by) =>
                    set((was) => {
                      const moved = [...was.columns];
                      moved.splice(place + by, 0, ...moved.splice(place, 1));
                      return { ...was, columns: moved, sort: was.sort === place ? place + by : was.sort === place + by ? place : was.sort };
                    })
                  }
                  onRemove={() =>
                    set((was) => ({
                      ...was,
                      columns: was.columns.filter((_, at) => at !== place),
                      sort: Math.max(0, was.sort - (was.sort >= place ? 1 : 0)),
                    }))
                  }
                />
              </th>
            ))}
            <th
              scope="col"
              rowSpan={2}
              className="min-w-18 border-l border-hairline pb-1 pl-3 text-start text-label font-normal text-ink-2"
            >
              Mostly
            </th>
          </tr>
          <tr className="border-b border-ink text-label text-ink-2">
            {columns.map((_, place) => (
              <Heads
                key={place}
                isSorted={sort === place}
                asShares={shown.asShares}
                place={place}
                onSort={() => set((was) => ({ ...was, sort: place }))}
                scale={scale}
              />
            ))}
          </tr>
        </thead>
        {rows.map((row) => {
          const value = row.keys[0] ?? "";
          const isOpen = open.includes(value);
          return (
            <tbody key={value} aria-label={valueWords(dimension, value) || "unattributed"}>
              <Line {...line} row={row} path={[{ dimension, value }]}>
                <button
                  type="button"
                  className="grid size-5 shrink-0 place-items-center text-ink-2"
                  aria-expanded={isOpen}
                  aria-label={`${nameOf(dimension, value)}: open into ${shown.into}`}
                  onClick={() => toggle(value)}
                >
                  <span className={clsx(!isOpen && "-rotate-90")}>
                    <Chevron />
                  </span>
                </button>
                <NamedRow dimension={dimension} value={value} />
              </Line>
              {isOpen && (
                <Children
                  {...line}
                  request={request}
                  parent={{ dimension, value }}
                  into={shown.into}
                  below={shown.below[value] ?? ""}
                  setBelow={(to) =>
                    set((was) => ({
                      ...was,
                      below: Object.fromEntries([
                        ...Object.entries(was.below).filter(([name]) => name !== value),
                        ...(to ? [[value, to]] : []),
                      ]) as Record<string, string>,
                    }))
                  }
                />
              )}
            </tbody>
          );
        })}
        <tfoot>
          <tr className="border-t border-ink font-semibold">
            <th scope="row" className="py-1 text-start">
              All
            </th>
            {columns.map((_, place) => (
              <td key={place} colSpan={3} className="border-l border-hairline pl-3">
                <span className="inline-block w-14 text-end">
                  <FigureButton
                    label={`All, column ${place + 1}: ${wholeOf(place)}`}
                    onOpen={() => onOpen(place, [], { credit: total.values[idAt(place)] ?? 0 })}
                  >
                    {wholeOf(place)}
                  </FigureButton>
                </span>
              </td>
            ))}
            <td className="border-l border-hairline" />
          </tr>
        </tfoot>
      </table>
    </div>
  );
}

function Heads({
  isSorted,
  asShares,
  place,
  onSort,
  scale,
}: {
  isSorted: boolean;
  asShares: boolean;
  place: number;
  onSort: () => void;
  scale: ReturnType<typeof scaleLinear<number>>;
}) {
  return (
    <>
      <th scope="col" className="w-17 border-l border-hairline pl-3 text-end font-normal" aria-sort={isSorted ? "descending" : undefined}>
        <button
          type="button"
          className={isSorted ? "font-semibold text-ink" : ""}
          aria-label={`Sort by the ${asShares ? "share, %," : "credit"} of column ${place + 1}`}
          onClick={onSort}
        >
          {isSorted && "▾ "}
          {asShares ? "Share, %" : "Credit"}
        </button>
      </th>
      <th scope="col" className="w-14 pl-2 text-end font-normal" aria-label={`Points, column ${place + 1}`}>
        Points
      </th>
      <th scope="col" className="pl-2 text-start font-normal">
        <span className="sr-only">Shares as marks, column {place + 1}</span>
        <svg width={MARKS} height="14" aria-hidden="true">
          {scale.ticks(3).map((at) => (
            <text key={at} className="fill-ink-2 text-micro" x={scale(at)} y="11" textAnchor="middle">
              {Math.round(at * 1000) / 10}
            </text>
          ))}
        </svg>
      </th>
    </>
  );
}

interface ChildrenProps extends Omit<LineProps, "row" | "path" | "children"> {
  request: Schemas["TableRequest"];
  parent: { dimension: string; value: string };
  into: string;
  /** Another model for them; an empty one is that of each column. */
  below: string;
  setBelow: (to: string) => void;
}

/** What a row is made of. */
function Children({ request, parent, into, below, setBelow, ...line }: ChildrenProps) {
  const { site } = useSite();
  const { live } = useView();
  const other = MODELS.find((one) => one.value === below)?.model;
  const columns = request.columns.map((one) => (other && one.id !== FIRST && one.id !== LAST ? { ...one, model_below: other } : one));
  const body = { ...request, columns, dimensions: [...request.dimensions, into], parents: [parent.value], limit: 50 };
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/table",
      { params: { path: { site: site.key } }, body },
      { select: tableByRow, placeholderData: keepPreviousData, refetchInterval: live ? 4_000 : false },
    ),
  );
  const whole = (inside: ReactNode) => (
    <tr>
      <td colSpan={line.columns.length * 3 + 2} className="py-1 pl-8 text-label text-ink-2">
        {inside}
      </td>
    </tr>
  );
  if (asked.isError) return whole(<ErrorState error={asked.error} again={() => void asked.refetch()} />);
  if (!asked.data) return whole(<LedgerSkeleton rows={2} />);
  const { rows, count } = asked.data;
  return (
    <>
      {whole(
        <>
          {nameOf(parent.dimension, parent.value)} is shared out below by{" "}
          <Chosen
            label={`Below ${nameOf(parent.dimension, parent.value)}`}
            value={below}
            options={[
              { value: "", label: "the model of each column" },
              ...MODELS.map((one) => ({ value: one.value, label: within(one.label) })),
            ]}
            onChange={setBelow}
          />
          .
        </>,
      )}
      {rows.map((row) => {
        const value = row.keys.at(-1) ?? "";
        return (
          <Line key={value} {...line} row={row} path={[parent, { dimension: into, value }]} isHeld={asked.isPlaceholderData}>
            <NamedRow dimension={into} value={value} none="none" />
          </Line>
        );
      })}
      {count > rows.length && whole(`The ${rows.length} largest of ${count}.`)}
    </>
  );
}

/** Adds a column like the last one, by the next model. */
export function AddColumn({
  shown,
  set,
  models,
}: {
  shown: Shown;
  set: CreditTableProps["set"];
  models: readonly CreditColumn["model"][];
}) {
  const last = shown.columns.at(-1);
  if (!last || shown.columns.length >= MAX_COLUMNS) return null;
  const used = new Set(shown.columns.map((one) => JSON.stringify(one.model)));
  const model = models.find((one) => !used.has(JSON.stringify(one))) ?? last.model;
  return (
    <Button kind="link" onClick={() => set((was) => ({ ...was, columns: [...was.columns, { ...last, model }] }))}>
      Add a column
    </Button>
  );
}
