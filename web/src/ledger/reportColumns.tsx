import { scaleLinear } from "@visx/scale";

import type { Measure, MeasureValues, Table } from "@/api/client";
import { FigureButton } from "@/ledger/FigureButton";
import type { CellControl, Heads, LedgerColumn } from "@/ledger/columns";
import type { MoreColumns } from "@/ledger/ColumnsChoice";
import { RateAxis, RateMark, type Scale } from "@/charts/RateMark";
import { besideId } from "@/api/figures";
import { figure, unitOf } from "@/words/format";
import { SIDE_LETTERS } from "@/words/segments";

/** A row of a report: the values of its dimensions from the outermost on, or something that stands for rows. */
export interface ReportRow {
  id: string;
  path: string[];
  figures: MeasureValues | null;
  /** What stands there instead of a value: of rows that are not here, and how they come. */
  instead?: { text: string; act?: (() => void) | undefined };
}

/** How one measure can be shown: itself, in the versus period, as a share of all, as marks on a common scale. */
export const SHAPES = ["value", "before", "share", "marks"] as const;
export type Shape = (typeof SHAPES)[number];

export const idOf = (measure: string, shape: Shape): string => (shape === "value" ? measure : `${measure} ${shape}`);
export const shapeOf = (id: string): [string, Shape] => {
  const [measure = "", shape = "value"] = id.split(" ");
  return [measure, shape as Shape];
};

/** The shapes that a measure has: a share of all needs something that adds up, marks need a share with its interval. */
export const shapesOf = (measure: Measure): Shape[] =>
  SHAPES.filter((shape) => {
    if (shape === "share") return measure.unit === "count" || (measure.unit === "money" && measure.chance === "sum");
    return shape === "marks" ? measure.chance === "share" : true;
  });

const SHAPE_WORDS: Record<Shape, string> = { value: "value", before: "before", share: "share of all", marks: "as marks" };

/** What the columns of a report are called where they are chosen, and which are not shown. */
export function reportChoice(measures: readonly Measure[], heads: Heads, shown: readonly string[]) {
  const head = (name: string) => heads[name] ?? measures.find((one) => one.name === name)?.title ?? name;
  const words = (id: string): string => {
    const [name, shape] = shapeOf(id);
    return shape === "value" ? head(name) : `${head(name)}, ${SHAPE_WORDS[shape]}`;
  };
  const more: MoreColumns[] = measures.flatMap((measure) => {
    const free = shapesOf(measure).filter((shape) => !shown.includes(idOf(measure.name, shape)));
    const options = free.map((shape) => ({ id: idOf(measure.name, shape), label: SHAPE_WORDS[shape] }));
    return options.length ? [{ name: head(measure.name), meaning: measure.meaning, options }] : [];
  });
  return { words, more };
}

const MARKS = 140;
const WIDTHS: Record<Shape, number> = { value: 54, before: 48, share: 54, marks: MARKS + 8 };
/** Where the column leads, or where *few* may stand beside the figure. */
const WIDE = { lead: 74, share: 62, fewOfAll: 76 };

/** As wide as its widest figure: *few* beside a hundred takes more than beside any other. */
const shareWidth = ({ rows }: Table, name: string): number =>
  rows.some((row) => row.few.includes(name) && (row.values[name] ?? 0) > 0.99994) ? WIDE.fewOfAll : WIDE.share;

/** The top of the common scale: the highest rate that is no accident of few visits, and some room for its interval. */
function rateScale(rows: readonly MeasureValues[], total: MeasureValues, name: string): Scale {
  const sure = rows.filter((row) => !row.few.includes(name));
  const seen = [...sure, total].flatMap((row) => [row.values[name] ?? 0, row.before?.[name] ?? 0, (row.interval[name]?.high ?? 0) * 0.85]);
  return scaleLinear<number>({ domain: [0, Math.min(Math.max(...seen, 0.01), 1)], range: [4, MARKS - 4], nice: 3 });
}

/** As wide as a head is, about; in a long one there are more wide letters. */
const wordsWidth = (head: string, unit: string): number => {
  const letters = head.length + unit.length;
  return Math.min(Math.ceil(letters * 6.2) + (letters > 8 || head.length > 7 ? 12 : 5), 110);
};

interface Making {
  measures: readonly Measure[];
  table: Table;
  currency: string;
  heads: Heads;
  lead: string;
  label: (row: ReportRow) => string;
  /** `place`: of the segment side by side that the figure is of. */
  onOpen: (measure: string, row: ReportRow, place?: number) => void;
  /** What the segments side by side are called. */
  beside: readonly string[];
}

/** The columns with these ids that there are; those of the versus period only where there is one. */
export function reportColumns(ids: readonly string[], making: Making): LedgerColumn<ReportRow>[] {
  return ids.flatMap((id) => {
    const [name, shape] = shapeOf(id);
    const measure = making.measures.find((one) => one.name === name);
    if (!measure || (shape === "before" && making.table.versus === null)) return [];
    const own = column(measure, shape, making);
    return shape === "value" ? [own, ...making.beside.map((words, place) => besideColumn(measure, place, words, making))] : [own];
  });
}

function column(measure: Measure, shape: Shape, { table, currency, heads, lead, label, onOpen }: Making): LedgerColumn<ReportRow> {
  const { name, unit } = measure;
  const head = heads[name] ?? measure.title;
  const figureWidth = name === lead ? WIDE.lead : measure.chance === "share" ? shareWidth(table, name) : WIDTHS.value;
  const plain = {
    id: idOf(name, shape),
    head,
    unit: unitOf(unit, currency),
    meaning: measure.meaning,
    width: shape === "value" ? Math.max(figureWidth, wordsWidth(head, unitOf(unit, currency))) : WIDTHS[shape],
    isNumber: true,
    isLead: name === lead && shape === "value",
  };
  switch (shape) {
    case "before":
      return {
        ...plain,
        head: "Before",
        unit: "",
        meaning: `${head}, in the versus period`,
        isQuiet: true,
        isSortable: false,
        value: (row) => row.figures?.before?.[name] ?? null,
        cell: (row) => row.figures && figure(row.figures.before?.[name], unit),
      };
    case "share": {
      const all = table.total.values[name] ?? 0;
      const share = (row: ReportRow) => (all > 0 ? (row.figures?.values[name] ?? 0) / all : null);
      return {
        ...plain,
        head: "Of all",
        unit: ", %",
        meaning: `${head}, as a share of all`,
        isSortable: false,
        value: share,
        cell: (row) => row.figures && figure(share(row), "percent"),
      };
    }
    case "marks": {
      const scale = rateScale(table.rows, table.total, name);
      const all = table.total.values[name] ?? null;
      return {
        ...plain,
        head: `${head} as marks`,
        axis: <RateAxis all={all} scale={scale} width={MARKS} />,
        value: (row) => row.figures?.values[name] ?? null,
        cell: (row, _, isTotal) => {
          if (!row.figures || row.instead) return null;
          const { low, high } = row.figures.interval[name] ?? {};
          const rate = { now: row.figures.values[name], before: row.figures.before?.[name], low, high };
          return <RateMark rate={rate} all={all} scale={scale} width={MARKS} height={isTotal ? 27 : 24} />;
        },
      };
    }
    default:
      return {
        ...plain,
        hasControl: true,
        value: (row) => row.figures?.values[name] ?? null,
        cell: (row, control) => row.figures && <Number {...{ row, measure, head, control, label, onOpen }} figures={row.figures} />,
      };
  }
}

/** The same measure in a segment that stands side by side with all: its head is the letter of the segment. */
function besideColumn(measure: Measure, place: number, words: string, making: Making): LedgerColumn<ReportRow> {
  const id = besideId(measure.name, place);
  const title = making.heads[measure.name] ?? measure.title;
  return {
    id,
    head: SIDE_LETTERS[place] ?? "",
    meaning: `${title} in ${words}`,
    width: measure.chance === "share" ? WIDE.share : WIDTHS.value,
    isNumber: true,
    isQuiet: true,
    hasControl: true,
    value: (row) => row.figures?.values[id] ?? null,
    // A segment that was set beside just now is not known yet, which is no figure over nothing.
    cell: (row, control) =>
      row.figures?.values[id] !== undefined && (
        <Number
          {...{ row, measure, id, control }}
          head={`${title} in ${words}`}
          label={making.label}
          onOpen={(name) => making.onOpen(name, row, place)}
          figures={row.figures}
        />
      ),
  };
}

interface NumberProps {
  row: ReportRow;
  figures: MeasureValues;
  measure: Measure;
  /** Of the column; its measure's name without one. */
  id?: string;
  head: string;
  control: CellControl;
  label: (row: ReportRow) => string;
  onOpen: (measure: string, row: ReportRow) => void;
}

function Number({ row, figures, measure, id = measure.name, head, control, label, onOpen }: NumberProps) {
  const shown = figure(figures.values[id], measure.unit);
  if (row.instead) return shown;
  return (
    <>
      {figures.few.includes(id) && figures.values[id] != null && <span className="mr-1.5 text-small font-normal text-ink-2">few</span>}
      <FigureButton label={`${label(row)}, ${head}: ${shown}`} control={control} onOpen={() => onOpen(measure.name, row)}>
        {shown}
      </FigureButton>
    </>
  );
}
