import type { SegmentPart } from "@/api/figures";
import type { LedgerColumn } from "@/ledger/columns";
import { lastDays } from "@/state/days";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { figure } from "@/words/format";

interface VisitsOf<Row> {
  /** The site's day. */
  today: string;
  /** What a row is called, and which visits it is of. */
  nameOf: (row: Row) => string;
  partOf: (row: Row) => SegmentPart;
}

/** Visits of the last 90 days, by which such lists are led. */
export function visitsColumn<Row extends { visits: number }>({ today, nameOf, partOf }: VisitsOf<Row>): LedgerColumn<Row> {
  const { first: from, last: to } = lastDays(today, 90);
  return {
    id: "visits",
    head: "Visits, 90 days",
    width: 110,
    isNumber: true,
    isLead: true,
    hasControl: true,
    value: (row) => row.visits,
    cell: (row, control) => (
      <OpenedCell
        row={nameOf(row)}
        text={figure(row.visits, "count")}
        opened={{ measure: "visits", title: "Visits", part: partOf(row), under: { from, to } }}
        control={control}
      />
    ),
  };
}
