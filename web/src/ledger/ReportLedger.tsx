import { lazy, Suspense, useCallback, useState, type ReactNode } from "react";

import { whatIsWrong, type Registry, type Table } from "@/api/client";
import { besideOf, type SegmentPart } from "@/api/figures";
import type { Asked } from "@/api/queries";
import type { CellControl, Heads, LedgerColumn, Sort } from "@/ledger/columns";
import { ColumnsChoice } from "@/ledger/ColumnsChoice";
import { shownRows } from "@/ledger/FileMenu";
import { Grid } from "@/ledger/Grid";
import { useLayout } from "@/ledger/layout";
import { LongText } from "@/ledger/LongText";
import { reportChoice, reportColumns, shapeOf, shapesOf, type ReportRow } from "@/ledger/reportColumns";
import { searched } from "@/ledger/rowSearch";
import { NOTHING_OPEN, NOTHING_SHOWN, readShown, shownWith, useLookedFor, type OpenRows } from "@/ledger/shown";
import { useReportRows } from "@/ledger/useReportRows";
import { ErrorState } from "@/ui/states";
import { useShown } from "@/state/shown";
import { Button } from "@/ui/Button";
import { copied, NOT_COPIED } from "@/ui/copied";
import { MenuItem } from "@/ui/Menu";
import { notify } from "@/ui/Toast";
import { useInSight } from "@/ui/useInSight";
import { plural, valueWords } from "@/words/format";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";

const AT_ONCE = 200;
/** What rows are sorted by where they go by their names. */
export const BY_VALUE = "\0value";

/** One value of a row: of which dimension it is. */
export interface Place {
  dimension: string;
  value: string;
}

interface ReportLedgerProps {
  /** Under which its columns are kept. */
  keptAs: string;
  title: string;
  /** What its rows are, in the plural. */
  what: string;
  aside: string;
  asked: Asked;
  site: { key: string; currency: string };
  live: boolean;
  registry: Registry;
  /** By what rows are broken down, then what they are opened into. */
  dimensions: string[];
  /** The columns that are shown before others are chosen. */
  usual: string[];
  lead: string;
  /** By what they are sorted before something else is chosen: by what leads, without it. */
  sort?: Sort;
  heads: Heads;
  /** Whether its rows are of a part of what all visits did, so that figures of all say nothing beneath them. */
  isPart?: boolean;
  /** How many rows stand there before all are wanted. */
  few: number;
  /** Whether it is in sight, before that can be told. */
  isInSightAtFirst?: boolean;
  empty: ReactNode;
  onNarrow: (dimension: string, value: string, how: "only" | "without" | "add") => void;
  /** `within`: the segment side by side that the figure is of. */
  onOpen: (measure: string, path: Place[], within?: SegmentPart) => void;
  /** A sign that stands behind a value. */
  sign?: (dimension: string, value: string) => ReactNode;
  /** What the segments side by side are called. */
  sideWords?: readonly string[];
  /** Where a row leads, as items of its menu. */
  leads?: (path: Place[]) => ReactNode;
}

const RowConditions = lazy(async () => ({ default: (await import("@/ledger/RowConditions")).RowConditions }));

const ExportChoice = lazy(async () => ({ default: (await import("@/ledger/ExportChoice")).ExportChoice }));

/** A report as a table: opened row by row, searched, sorted both ways, its columns chosen. */
export function ReportLedger(props: ReportLedgerProps) {
  const {
    keptAs,
    title,
    what,
    aside,
    asked,
    site,
    live,
    registry,
    dimensions,
    usual,
    lead,
    heads,
    few,
    empty,
    onNarrow,
    onOpen,
    sideWords,
  } = props;
  const [shown, setShown] = useShown(title, NOTHING_SHOWN, readShown);
  const sort = shown.sort ?? props.sort ?? { by: lead, descending: true };
  const isWhole = shown.whole === true;
  const setWhole = (whole: boolean) => setShown((was) => shownWith(was, { whole: whole || undefined }));
  const setOpen = useCallback(
    (change: (was: OpenRows) => OpenRows) => setShown((was) => shownWith(was, { open: change(was.open ?? NOTHING_OPEN) })),
    [setShown],
  );
  const { query, setQuery, conditions, setConditions, rested } = useLookedFor(shown, setShown);
  const [isSearched, setSearched] = useState(query !== "" || conditions.length > 0);
  const measureOf = (name: string) => registry.measures.find((one) => one.name === name);
  const known = (id: string) => {
    const [name, shape] = shapeOf(id);
    const measure = measureOf(name);
    return measure !== undefined && shapesOf(measure).includes(shape);
  };
  const { layout, isUsual, set } = useLayout(keptAs, usual, known);
  const [outer = ""] = dimensions;
  const beside = asked.beside ?? [];
  const sortedBeside = besideOf(sort.by);
  const isSortKnown = measureOf(sort.by) ?? (sortedBeside && sortedBeside.place < beside.length && measureOf(sortedBeside.measure));
  const by = sort.by === BY_VALUE ? { ...sort, by: outer } : isSortKnown ? sort : { by: lead, descending: true };
  const shownMeasures = [...new Set(layout.shown.map((id) => shapeOf(id)[0]))];
  const needed = [
    ...new Set([...shownMeasures, ...(by.by === outer ? [] : [besideOf(by.by)?.measure ?? by.by]), ...conditions.map((one) => one.of)]),
  ];
  const settled = [...searched(outer, rested.query), ...rested.where].filter((one) => one.of === outer || needed.includes(one.of));
  const { place, isInSight } = useInSight(props.isInSightAtFirst);
  const found = useReportRows({
    asked,
    site: site.key,
    live,
    isInSight,
    dimensions,
    measures: needed,
    sort: by,
    where: settled,
    limit: isWhole ? AT_ONCE : few,
    isWhole,
    open: shown.open ?? NOTHING_OPEN,
    setOpen,
  });
  const { pages, table, rows } = found;
  const measures = registry.measures.filter((one) => needed.includes(one.name));
  const dimension = registry.dimensions.find((one) => one.name === outer);
  const label = (row: ReportRow) => (row.path.length ? words(dimensions, row.path) : "All visits");
  const refused = pages.error?.status === 422 ? whatIsWrong(pages.error) : null;
  const placeOf = (row: ReportRow): Place[] => row.path.map((value, i) => ({ dimension: dimensions[i] ?? outer, value }));
  const open = (name: string, row: ReportRow, place?: number) =>
    onOpen(name, placeOf(row), place === undefined ? undefined : beside[place]);
  const first: LedgerColumn<ReportRow> = {
    id: BY_VALUE,
    head: dimension?.title ?? title,
    meaning: dimension?.meaning,
    hasControl: true,
    value: label,
    cell: (row, control, isTotal) =>
      isTotal ? (
        <span {...control}>All visits</span>
      ) : row.instead ? (
        <Instead {...row.instead} control={control} />
      ) : (
        <ValueName
          words={valueWords(dimensions[row.path.length - 1] ?? outer, row.path.at(-1) ?? "")}
          control={control}
          onTake={(without) => onNarrow(dimensions[row.path.length - 1] ?? outer, row.path.at(-1) ?? "", without ? "without" : "only")}
          onOpen={() => open(by.by === outer ? lead : (sortedBeside?.measure ?? by.by), row)}
          sign={props.sign?.(dimensions[row.path.length - 1] ?? outer, row.path.at(-1) ?? "")}
        />
      ),
  };
  const sides = beside.map((_, place) => sideWords?.[place] ?? "");
  const making = table && {
    measures,
    table: withAll(table, rows),
    currency: site.currency,
    heads,
    lead,
    label,
    onOpen: open,
    beside: sides,
  };
  const columns = making ? [first, ...reportColumns(layout.shown, making)] : [];
  // Rows that are opened leave with a column for each dimension.
  const parted = dimensions.map((name, place): LedgerColumn<ReportRow> => ({
    id: name,
    head: registry.dimensions.find((one) => one.name === name)?.title ?? name,
    value: (row) => (place < row.path.length ? valueWords(name, row.path[place] ?? "") : null),
  }));
  const rest = !isWhole && table ? restRow(table, () => setWhole(true)) : null;
  const columnHeads = registry.measures.filter((one) => shownMeasures.includes(one.name));
  return (
    <section ref={place} aria-label={title} className="min-w-0">
      <header className="flex flex-wrap items-baseline gap-x-2.5">
        <h2 className="font-serif text-title font-[560] min-[720px]:whitespace-nowrap">{title}</h2>
        <span className="min-w-0 flex-[1_1_40px] truncate text-label text-ink-2">{aside}</span>
        <span className="ml-auto flex gap-3 text-label whitespace-nowrap">
          {isWhole && (
            <Button kind="link" onClick={() => setWhole(false)}>
              Fewer
            </Button>
          )}
          <Button
            kind="link"
            aria-expanded={isSearched}
            onClick={() => {
              setSearched(!isSearched);
              setQuery("");
              setConditions([]);
            }}
          >
            Find
          </Button>
          {table && (
            <Suspense fallback={<span className="text-teal">Export</span>}>
              <ExportChoice
                site={site.key}
                title={title}
                request={found.request}
                shown={rows.filter((row) => row.path.length === 1 && !row.instead).length}
                count={table.count}
                opened={
                  rows.some((row) => row.path.length > 1)
                    ? shownRows(site.key, title, [...parted, ...columns.slice(1)], () => rows.filter((row) => !row.instead))
                    : null
                }
              />
            </Suspense>
          )}
          <ColumnsChoice
            {...reportChoice(registry.measures, heads, layout.shown)}
            shown={layout.shown}
            isUsual={isUsual}
            onShown={(shown) => set({ ...layout, shown })}
            onUsual={() => set(null)}
          />
        </span>
      </header>
      {isSearched && (
        <Suspense>
          <RowConditions
            measures={columnHeads}
            heads={heads}
            what={what}
            query={query}
            onQuery={setQuery}
            conditions={conditions}
            onConditions={setConditions}
            error={refused}
          />
        </Suspense>
      )}
      {pages.isError && !refused && <ErrorState error={pages.error} again={() => void pages.refetch()} />}
      {pages.isPending && <LedgerSkeleton rows={few + 1} />}
      {table && (
        <Grid
          name={title}
          columns={columns}
          rows={rest && rows.length ? [...rows, rest] : rows}
          rowId={(row) => row.id}
          total={props.isPart ? undefined : found.total}
          isHeld={pages.isPlaceholderData}
          sort={sort.by === BY_VALUE ? sort : by}
          onSort={(by) => setShown((was) => shownWith(was, { sort: by }))}
          isSorted
          widths={layout.widths}
          onWidths={(widths) => set({ ...layout, widths })}
          count={table.count}
          onEnd={found.onEnd}
          {...(dimensions.length > 1
            ? {
                opening: (row: ReportRow) => ({
                  level: Math.max(row.path.length - 1, 0),
                  isOpen: found.isOpen(row),
                  toggle: row.instead || row.path.length >= dimensions.length ? undefined : () => found.toggle(row),
                }),
              }
            : {})}
          menu={(row) =>
            !row.instead && (
              <>
                {(["only", "without", "add"] as const).map((how) => (
                  <MenuItem key={how} onSelect={() => onNarrow(dimensions[row.path.length - 1] ?? outer, row.path.at(-1) ?? "", how)}>
                    {{ only: "Only these", without: "Without these", add: "Add to the filter" }[how]}
                  </MenuItem>
                ))}
                <MenuItem onSelect={() => open(by.by === outer ? lead : (sortedBeside?.measure ?? by.by), row)}>Open up</MenuItem>
                {props.leads?.(placeOf(row))}
                <MenuItem
                  onSelect={() => void copied(row.path.at(-1) ?? "").then((isDone) => notify(isDone ? "The name was copied." : NOT_COPIED))}
                >
                  Copy the name
                </MenuItem>
              </>
            )
          }
          empty={settled.length ? <p>No row fits. {plural(settled.length, "condition")} above must hold.</p> : empty}
        />
      )}
    </section>
  );
}

const words = (dimensions: string[], path: string[]): string => path.map((value, i) => valueWords(dimensions[i] ?? "", value)).join(", ");

/** The table with all rows that are here, so that marks of all of them share one scale. */
const withAll = (table: Table, rows: ReportRow[]): Table => ({
  ...table,
  rows: rows.flatMap((row) => (row.figures ? [{ keys: row.path, ...row.figures }] : [])),
});

function restRow(table: Table, act: () => void): ReportRow | null {
  if (table.rest) return { id: "rest", path: [""], figures: table.rest.figures, instead: { text: `${table.rest.rows} more`, act } };
  const more = table.count - table.rows.length;
  return more > 0 ? { id: "rest", path: [""], figures: null, instead: { text: `${more} more`, act } } : null;
}

function Instead({ text, act, control }: { text: string; act?: (() => void) | undefined; control: CellControl }) {
  return act ? (
    <Button kind="quiet" onClick={act} {...control}>
      {text}
    </Button>
  ) : (
    <span className="text-ink-2" {...control}>
      {text}
    </span>
  );
}

interface ValueNameProps {
  words: string;
  control: CellControl;
  onTake: (without: boolean) => void;
  onOpen: () => void;
  sign?: ReactNode;
}

function ValueName({ words, control, onTake, onOpen, sign }: ValueNameProps) {
  const name = (
    <button
      type="button"
      className="block max-w-full text-teal decoration-1 underline-offset-3 hover:underline"
      title={`${words}: only these (with Alt: without these)`}
      onClick={(event) => onTake(event.altKey)}
      onKeyDown={(event) => {
        if (event.key === "Enter" && event.altKey) {
          event.preventDefault();
          onTake(true);
        } else if (event.key === "o") {
          event.preventDefault();
          onOpen();
        }
      }}
      {...control}
    >
      <LongText text={words} />
    </button>
  );
  return sign ? (
    <span className="flex min-w-0 items-center gap-1.5">
      <span className="min-w-0">{name}</span>
      {sign}
    </span>
  ) : (
    name
  );
}
