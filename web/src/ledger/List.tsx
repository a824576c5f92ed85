import type { ReactNode } from "react";

import { inOrder, type LedgerColumn, type Sort } from "@/ledger/columns";
import { RowsMenu } from "@/ledger/FileMenu";
import { Grid } from "@/ledger/Grid";
import { SearchInput } from "@/ledger/SearchInput";
import { NOTHING_SHOWN, readShown, shownWith, useLookedFor } from "@/ledger/shown";
import { useChosenColumns } from "@/ledger/useChosenColumns";
import { useShown } from "@/state/shown";

/** From so many rows on, a list can be searched. */
const SEARCHABLE_FROM = 5;

interface ListProps<Row extends object> {
  /** What it is called, and under which its columns are kept. */
  name: string;
  /** What one row is, with its article: `a goal`. */
  what: string;
  columns: LedgerColumn<Row>[];
  rows: Row[];
  rowId: (row: Row) => string;
  sort: Sort;
  details?: (row: Row) => ReactNode;
  menu?: (row: Row) => ReactNode;
  isCurrent?: (row: Row) => boolean;
  /** Stands beside the search. */
  beside?: ReactNode;
  /** Whether it leaves as a file however few rows it has. */
  isExported?: boolean;
}

/** Rows that are all here: searched and sorted as one reads, their columns chosen. */
export function List<Row extends object>({
  name,
  what,
  columns,
  rows,
  rowId,
  sort: usual,
  details,
  menu,
  isCurrent,
  beside,
  isExported = false,
}: ListProps<Row>) {
  const [shown, setShown] = useShown(name, NOTHING_SHOWN, readShown);
  const sort = shown.sort ?? usual;
  const { query, setQuery } = useLookedFor(shown, setShown);
  const chosen = useChosenColumns(name, columns);
  const isSearchable = rows.length >= SEARCHABLE_FROM || query !== "";
  const isTaken = (isSearchable || isExported) && rows.length > 0;
  return (
    <>
      {(isSearchable || isTaken || beside) && (
        <div className="mb-1.5 flex flex-wrap items-center gap-3 print:hidden">
          {isSearchable && <SearchInput what={what} query={query} set={setQuery} />}
          {beside}
          {(isSearchable || isTaken) && (
            <span className="ml-auto flex gap-3 text-label">
              {isTaken && <RowsMenu title={name} columns={chosen.columns} rows={() => inOrder(rows, chosen.columns, sort, query)} />}
              {isSearchable && chosen.choice}
            </span>
          )}
        </div>
      )}
      <Grid
        name={name}
        columns={chosen.columns}
        rows={rows}
        rowId={rowId}
        sort={sort}
        onSort={(by) => setShown((was) => shownWith(was, { sort: by }))}
        query={query}
        widths={chosen.widths}
        onWidths={chosen.onWidths}
        {...(details ? { details } : {})}
        {...(menu ? { menu } : {})}
        {...(isCurrent ? { isCurrent } : {})}
        empty={<p>{query ? `No row contains all of these words.` : "Nothing is here."}</p>}
      />
    </>
  );
}
