import { useMutation } from "@tanstack/react-query";
import type { ReactNode } from "react";

import type { LedgerColumn } from "@/ledger/columns";
import { rowsFile, type FileFormat } from "@/api/exports";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Menu, MenuItem } from "@/ui/Menu";
import { notify } from "@/ui/Toast";
import { download } from "@/words/download";

const FORMATS: Record<FileFormat, string> = { csv: "CSV", xlsx: "XLSX", jsonl: "JSON Lines", parquet: "Parquet" };

/** Rows that can leave as a file. `words`: which they are, where there is more than one choice. */
export interface FileChoice {
  words: string;
  make: (format: FileFormat) => Promise<Blob>;
}

interface FileMenuProps {
  /** What the file is called. */
  title: string;
  choices: readonly FileChoice[];
  /** What else can be done. */
  children?: ReactNode;
}

/** What leaves a ledger, and as which kind of file. */
export function FileMenu({ title, choices, children }: FileMenuProps) {
  const made = useMutation({
    mutationFn: ({ choice, format }: { choice: FileChoice; format: FileFormat }) => choice.make(format),
    onSuccess: (file, { format }) => download(file, `${title}.${format}`),
    onError: (error) => notify(error.detail),
  });
  return (
    <Menu
      align="end"
      trigger={
        <Button kind="link" aria-busy={made.isPending}>
          {made.isPending ? "Exporting …" : "Export"}
        </Button>
      }
    >
      {choices.map((choice) =>
        (Object.entries(FORMATS) as [FileFormat, string][]).map(([format, words]) => (
          <MenuItem key={`${choice.words} ${format}`} onSelect={() => made.mutate({ choice, format })}>
            {words}
            {choices.length > 1 && `, ${choice.words}`}
          </MenuItem>
        )),
      )}
      {children}
    </Menu>
  );
}

/** Rows that are here, as they are seen: in their order, with the columns that are shown. */
export function shownRows<Row>(site: string, title: string, columns: readonly LedgerColumn<Row>[], rows: () => readonly Row[]): FileChoice {
  const written = columns.filter((column) => !column.isHeadUnseen);
  return {
    words: "these rows",
    make: (format) =>
      rowsFile(site, format, {
        title,
        columns: written.map((column) => `${column.head}${column.unit ?? ""}`),
        rows: rows().map((row) => written.map((column) => column.value(row))),
      }),
  };
}

interface RowsMenuProps<Row> {
  title: string;
  columns: readonly LedgerColumn<Row>[];
  rows: () => readonly Row[];
  /** All there are, where not all are here. */
  all?: FileChoice;
}

/** Rows that are here, and all others, as files. */
export function RowsMenu<Row>({ title, columns, rows, all }: RowsMenuProps<Row>) {
  const { site } = useSite();
  return <FileMenu title={title} choices={[shownRows(site.key, title, columns, rows), ...(all ? [all] : [])]} />;
}
