import { scaleLinear } from "@visx/scale";

import type { Schemas, StoredGoal } from "@/api/client";
import { RateAxis, RateMark } from "@/charts/RateMark";
import { OpenedCredit } from "@/views/explain/attribution/OpenedCredit";
import { OpenedGap, readGap } from "@/views/explain/drivers/OpenedGap";
import { convertingPart, seenPart } from "@/views/explain/drivers/parts";
import { useOpenedCredit } from "@/views/explain/drivers/useOpenedCredit";
import { NamedRow } from "@/views/shared/NamedRow";
import { RowItems } from "@/views/shared/RowLeads";
import { OpenedCell } from "@/views/shared/OpenedCell";
import type { Opened } from "@/views/shared/OpenedUp";
import { useOpened } from "@/views/shared/useOpened";
import type { CellControl } from "@/ledger/columns";
import { FigureButton } from "@/ledger/FigureButton";
import { List } from "@/ledger/List";
import { credit } from "@/words/attribution";
import { gap, gapBetween, isOnTheWay, type PageDriver } from "@/words/drivers";
import { figure, NOTHING } from "@/words/format";

interface PageDriversProps {
  pages: PageDriver[];
  /** Visits that convert. */
  converting: number;
  of: Schemas["TableResult"];
  goal: StoredGoal;
}

const MARKS = 150;

/** Each page that was seen before conversions: who entered by it, who converted then, against those who did not see it, and its credit. */
export function PageDrivers({ pages, converting, of, goal }: PageDriversProps) {
  const [credited, openCredit] = useOpenedCredit("page", of);
  const [opened, open, drawer] = useOpened("opened gap", readGap);
  const gapped = pages.find((one) => one.page === opened);
  // Steps of the way itself, of which nearly all convert, would press all others together.
  const drawn = pages.filter((one) => !one.few && !isOnTheWay(one, converting));
  const top = Math.max(0.01, ...(drawn.length ? drawn : pages).flatMap((one) => [one.rate, one.without ?? 0]));
  const scale = scaleLinear({ domain: [0, top], range: [6, MARKS - 12], nice: 3 });
  const cell = (text: (row: PageDriver) => string, of: (row: PageDriver) => Opened) =>
    function Cell(row: PageDriver, control: CellControl) {
      return <OpenedCell row={row.page} text={text(row)} opened={of(row)} control={control} />;
    };
  const gapCell = (label: string, text: (row: PageDriver) => string) =>
    function Gap(row: PageDriver, control: CellControl) {
      if (row.difference === null) return <span {...control}>{NOTHING}</span>;
      return (
        <FigureButton
          label={`${row.page}, ${label}: ${row.few && label === "Points" ? "few " : ""}${text(row)}`}
          control={control}
          onOpen={() => open(row.page)}
        >
          {row.few && label === "Points" && <span className="text-ink-2">few </span>}
          {text(row)}
        </FigureButton>
      );
    };
  return (
    <>
      <List
        name="Pages that drive it"
        what="a page"
        rows={pages}
        rowId={(row) => row.page}
        sort={{ by: "converting", descending: true }}
        isExported
        menu={(row) => <RowItems title="Drivers" places={[{ dimension: "page", value: row.page }]} />}
        columns={[
          {
            id: "page",
            head: "Page",
            hasControl: true,
            value: (row) => row.page,
            cell: (row, control) => (
              <span className="flex min-w-0 items-baseline gap-2">
                <NamedRow dimension="page" value={row.page} control={control} />
                {isOnTheWay(row, converting) && (
                  <span
                    className="shrink-0 text-label text-ink-2"
                    title="Nearly all who converted saw it, or nearly all who saw it converted: it is a step of the way itself"
                  >
                    on the way
                  </span>
                )}
              </span>
            ),
          },
          {
            id: "entries",
            head: "Entered by",
            meaning: "Visits that began there",
            width: 92,
            isNumber: true,
            hasControl: true,
            value: (row) => row.entries,
            cell: cell(
              (row) => figure(row.entries, "count"),
              (row) => ({ measure: "entries", title: "Entries", of: [{ dimension: "page", value: row.page }] }),
            ),
          },
          {
            id: "seen",
            head: "Seen by",
            meaning: "Visits that saw it, before their first conversion if they have one",
            width: 78,
            isNumber: true,
            hasControl: true,
            value: (row) => row.seen,
            cell: cell(
              (row) => figure(row.seen, "count"),
              (row) => ({ measure: "visits", title: "Visits, saw it before", part: seenPart(row.page, goal) }),
            ),
          },
          {
            id: "converting",
            head: "Converted",
            meaning: "Visits that converted after they saw it",
            width: 90,
            isNumber: true,
            isLead: true,
            hasControl: true,
            value: (row) => row.converting,
            cell: cell(
              (row) => figure(row.converting, "count"),
              (row) => ({ measure: "visits", title: "Visits, converted then", part: convertingPart(row.page, goal) }),
            ),
          },
          {
            id: "rate",
            head: "Rate",
            unit: ", %",
            meaning: "Of visits that saw it, how many converted then",
            width: 72,
            isNumber: true,
            hasControl: true,
            value: (row) => row.rate,
            cell: cell(
              (row) => figure(row.rate, "percent"),
              (row) => ({
                measure: "visits",
                title: "Visits, converted then",
                part: convertingPart(row.page, goal),
                outOf: seenPart(row.page, goal),
              }),
            ),
          },
          {
            id: "marks",
            head: "Rates as marks",
            axis: <RateAxis all={null} scale={scale} width={MARKS} />,
            width: MARKS + 12,
            isSortable: false,
            value: (row) => row.difference,
            cell: (row) => {
              const from = row.without ?? 0;
              if (row.rate > (scale.domain()[1] ?? 1)) return null;
              const [low, high] =
                row.low == null || row.high == null || row.few ? [null, null] : [Math.max(from + row.low, 0), from + row.high];
              return (
                <RateMark rate={{ now: row.rate, before: row.without, low, high }} all={null} scale={scale} width={MARKS} height={20} />
              );
            },
          },
          {
            id: "without",
            head: "Others",
            unit: ", %",
            meaning: "Of visits of the same channels that did not see it, how many converted",
            width: 86,
            isNumber: true,
            hasControl: true,
            value: (row) => row.without,
            cell: gapCell("Others, %", (row) => figure(row.without, "percent")),
          },
          {
            id: "gap",
            head: "Points",
            meaning: "How much higher the rate is among those who saw it",
            width: 78,
            isNumber: true,
            hasControl: true,
            value: (row) => row.difference,
            cell: gapCell("Points", (row) => gap(row.difference ?? 0)),
          },
          { id: "between", head: "Between", width: 104, isQuiet: true, isNumber: true, isSortable: false, value: gapBetween },
          {
            id: "credit",
            head: "Credit",
            meaning: "Conversions credited to it, shared out evenly among all touches",
            width: 72,
            isNumber: true,
            hasControl: true,
            value: (row) => row.credit,
            cell: (row, control) => (
              <FigureButton
                label={`${row.page}, Credit: ${credit(row.credit)}`}
                control={control}
                onOpen={() => openCredit("linear", row.page, row.credit)}
              >
                {credit(row.credit)}
              </FigureButton>
            ),
          },
        ]}
      />
      {credited && <OpenedCredit {...credited} />}
      {gapped && <OpenedGap page={gapped} goal={goal} {...drawer} />}
    </>
  );
}
