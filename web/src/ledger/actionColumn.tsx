import type { LedgerColumn } from "@/ledger/columns";
import { Button } from "@/ui/Button";

interface Action<Row> {
  /** What stands in each row. */
  verb: string;
  /** What it is read aloud as, where the verb alone does not tell the rows apart. */
  label?: (row: Row) => string;
  width: number;
  isBusy?: boolean;
  onDo: (row: Row) => void;
}

/** The one thing that can be done with a row, as its last column. */
export const actionColumn = <Row,>({ verb, label, width, isBusy = false, onDo }: Action<Row>): LedgerColumn<Row> => ({
  id: verb,
  head: verb,
  isHeadUnseen: true,
  width,
  isSortable: false,
  hasControl: true,
  value: () => null,
  cell: (row, control) => (
    <Button kind="cell" disabled={isBusy} aria-label={label?.(row)} onClick={() => onDo(row)} {...control}>
      {verb}
    </Button>
  ),
});
