import type { LedgerColumn } from "@/ledger/columns";
import { figure } from "@/words/format";

/** Visits of the last 90 days, by which such lists are led. */
export const visitsColumn = <Row extends { visits: number }>(): LedgerColumn<Row> => ({
  id: "visits",
  head: "Visits, 90 days",
  width: 110,
  isNumber: true,
  isLead: true,
  value: (row) => row.visits,
  cell: (row) => figure(row.visits, "count"),
});
