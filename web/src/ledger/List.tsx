import { useState, type ReactNode } from "react";

import type { LedgerColumn, Sort } from "@/ledger/columns";
import { Grid } from "@/ledger/Grid";
import { SearchInput } from "@/ledger/SearchInput";
import { useChosenColumns } from "@/ledger/useChosenColumns";

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
}: ListProps<Row>) {
  const [sort, setSort] = useState(usual);
  const [query, setQuery] = useState("");
  const chosen = useChosenColumns(name, columns);
  const isSearchable = rows.length >= SEARCHABLE_FROM || query !== "";
  return (
    <>
      {(isSearchable || beside) && (
        <div className="mb-1.5 flex flex-wrap items-center gap-3">
          {isSearchable && <SearchInput what={what} query={query} set={setQuery} />}
          {beside}
          {isSearchable && <span className="ml-auto text-label">{chosen.choice}</span>}
        </div>
      )}
      <Grid
        name={name}
        columns={chosen.columns}
        rows={rows}
        rowId={rowId}
        sort={sort}
        onSort={setSort}
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
