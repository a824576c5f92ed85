import type { Naming, Sizes } from "@/views/explain/compared";
import { RatioAxis, RatioMark, ratioScale } from "@/charts/RatioMark";
import type { LedgerColumn } from "@/ledger/columns";
import { FigureButton } from "@/ledger/FigureButton";
import { RowsMenu } from "@/ledger/FileMenu";
import { Grid } from "@/ledger/Grid";
import { LongText } from "@/ledger/LongText";
import { useChosenColumns } from "@/ledger/useChosenColumns";
import { useSite } from "@/state/site";
import { useSteering } from "@/state/view";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { copied, NOT_COPIED } from "@/ui/copied";
import { MenuItem } from "@/ui/Menu";
import { notify } from "@/ui/Toast";
import { figure, NOTHING, valueWords } from "@/words/format";
import { said, times } from "@/words/comparing";
import type { ComparedRow } from "@/api/client";
import { comparedFile } from "@/api/exports";
import type { CompareRequest, OpenedGroups } from "@/views/explain/groups";

const MARKS = 230;
const SURE = 0.05;
/** Rows come in this order, which is no column’s. */
const BY_EVIDENCE = { by: "evidence", descending: false };

/** A figure of a row: how many, which share of their group, how many times as large that is as the others’. */
type OpenedAs = "count" | "share" | "ratio";
const TITLED: Record<OpenedAs, string> = { count: "", share: ", share", ratio: ", times as likely" };

interface ComparedLedgerProps extends Naming {
  name: string;
  rows: ComparedRow[];
  rowId: (row: ComparedRow) => string;
  sizes: Sizes;
  current: string | null;
  onCurrent: (row: ComparedRow) => void;
  /** Whether too little is known of all of these rows. */
  isUnsure?: boolean;
  count: number;
  onEnd: () => void;
  /** What these rows were asked with, and what opens their figures. */
  request: CompareRequest;
  opening: OpenedGroups;
}

/** The values that are compared, with how many of each group have them and the ratio of their shares on one scale. */
export function ComparedLedger(props: ComparedLedgerProps) {
  const { name, rows, rowId, current, onCurrent, count, onEnd, request } = props;
  const { site } = useSite();
  const { narrow } = useSteering();
  const openUp = useOpenUp();
  const chosen = useChosenColumns(
    name,
    columnsOf(
      props,
      (row, how) => narrow(row.dimension, row.value, how),
      (row, which, as) => {
        const [{ part, under }, others] = [props.opening[which], props.opening.b];
        const [measure, title] = request.units === "people" ? ["visitors", "People"] : ["visits", "Visits"];
        const of = [{ dimension: row.dimension, value: row.value }];
        const outOf = as !== "count" ? { outOf: part } : {};
        const heldAgainst = as === "ratio" ? { heldAgainst: others.part, ...(others.under ? { heldUnder: others.under } : {}) } : {};
        openUp({ measure, title: `${title}${TITLED[as]}`, of, part, ...(under ? { under } : {}), ...outOf, ...heldAgainst });
      },
    ),
  );
  return (
    <>
      <div className="mb-1.5 flex justify-end gap-3 text-label">
        {rows.length > 0 && (
          <RowsMenu
            title={`${name} ${request.period.first} to ${request.period.last}`}
            columns={chosen.columns}
            rows={() => rows}
            all={{ words: `all ${count} rows`, make: (format) => comparedFile(site.key, format, request) }}
          />
        )}
        {chosen.choice}
      </div>
      <Grid
        name={name}
        columns={chosen.columns}
        rows={rows}
        rowId={rowId}
        sort={BY_EVIDENCE}
        onSort={() => undefined}
        isSorted
        widths={chosen.widths}
        onWidths={chosen.onWidths}
        count={count}
        onEnd={onEnd}
        isCurrent={(row) => rowId(row) === current}
        menu={(row) => (
          <>
            {(["only", "without", "add"] as const).map((how) => (
              <MenuItem key={how} onSelect={() => narrow(row.dimension, row.value, how)}>
                {{ only: "Only these", without: "Without these", add: "Add to the filter" }[how]}
              </MenuItem>
            ))}
            <MenuItem onSelect={() => onCurrent(row)}>Say it in words</MenuItem>
            <MenuItem onSelect={() => void copied(row.value).then((isDone) => notify(isDone ? "The name was copied." : NOT_COPIED))}>
              Copy the name
            </MenuItem>
          </>
        )}
        empty={<p>No value is shared by enough of either group to be compared.</p>}
      />
    </>
  );
}

function columnsOf(
  { rows, sizes, words, others, dimension, onCurrent, isUnsure = false }: ComparedLedgerProps,
  onNarrow: (row: ComparedRow, how: "only" | "without") => void,
  onOpen: (row: ComparedRow, which: "a" | "b", as: OpenedAs) => void,
): LedgerColumn<ComparedRow>[] {
  const scale = ratioScale(
    rows.flatMap((row) =>
      isUnsure ? [row.ratio] : [row.ratio, row.corrected < SURE ? row.low : null, row.corrected < SURE ? row.high : null],
    ),
    MARKS,
  );
  const share = (row: ComparedRow, which: "a" | "b") => (sizes[which] ? row[which] / sizes[which] : null);
  const opening = (
    which: "a" | "b",
    head: string,
    shown: (row: ComparedRow) => string,
    as: OpenedAs,
  ): Partial<LedgerColumn<ComparedRow>> => ({
    hasControl: true,
    cell: (row, control) => (
      <FigureButton
        label={`${valueWords(row.dimension, row.value)}, ${head}: ${shown(row)}`}
        control={control}
        onOpen={() => onOpen(row, which, as)}
      >
        {shown(row)}
      </FigureButton>
    ),
  });
  const count = (which: "a" | "b", head: string): LedgerColumn<ComparedRow>[] => {
    const counted = (row: ComparedRow) => figure(row[which], "count");
    const shared = (row: ComparedRow) => figure(share(row, which), "percent");
    return [
      {
        id: which,
        head,
        width: 76,
        isNumber: true,
        isSortable: false,
        value: (row) => row[which],
        ...opening(which, head, counted, "count"),
      },
      {
        id: `share ${which}`,
        head: "%",
        meaning: `Of ${head}, how many have it`,
        width: 58,
        isNumber: true,
        isQuiet: true,
        isSortable: false,
        value: (row) => share(row, which),
        ...opening(which, `share of ${head.toLowerCase()}`, shared, "share"),
      },
    ];
  };
  return [
    {
      id: "value",
      head: "Value",
      hasControl: true,
      isSortable: false,
      value: (row) => valueWords(row.dimension, row.value),
      cell: (row, control) => (
        <span className="flex min-w-0 items-baseline gap-2">
          <button
            type="button"
            className="min-w-0 text-teal decoration-1 underline-offset-3 hover:underline"
            title={`${valueWords(row.dimension, row.value)}: only these (with Alt: without these)`}
            onClick={(event) => onNarrow(row, event.altKey ? "without" : "only")}
            {...control}
          >
            <LongText text={valueWords(row.dimension, row.value)} />
          </button>
          <span className="min-w-0 shrink-[4] truncate text-label text-ink-2">{dimension(row.dimension).title.toLowerCase()}</span>
        </span>
      ),
    },
    ...count("a", "The group"),
    ...count("b", "The others"),
    {
      id: "marks",
      head: "Ratio as marks",
      axis: <RatioAxis scale={scale} width={MARKS} />,
      width: MARKS + 8,
      isSortable: false,
      value: (row) => row.ratio,
      cell: (row) => <RatioMark {...row} scale={scale} width={MARKS} isSure={!isUnsure && row.corrected < SURE} />,
    },
    {
      id: "ratio",
      head: "Times",
      meaning: "How many times as likely the group has it as the others",
      width: 66,
      isNumber: true,
      isLead: true,
      isSortable: false,
      hasControl: true,
      value: (row) => row.ratio,
      cell: (row, control) => {
        const sentence = said(row, sizes, [words[0], others], dimension(row.dimension));
        const [label, shown] = [
          `${sentence.counts}${sentence.stressed}${sentence.interval}`,
          row.a > 0 && row.ratio !== null ? times(row.ratio) : NOTHING,
        ];
        return (
          <span className={!isUnsure && row.corrected < SURE ? "font-semibold" : "font-normal text-ink-2"} onFocus={() => onCurrent(row)}>
            <FigureButton label={label} control={control} onOpen={() => onOpen(row, "a", "ratio")}>
              {shown}
            </FigureButton>
          </span>
        );
      },
    },
  ];
}
