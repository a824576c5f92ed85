import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "@/api/client";
import { importQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import type { LedgerColumn } from "@/ledger/columns";
import { List } from "@/ledger/List";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Confirm } from "@/ui/Dialog";
import { FieldError } from "@/ui/Field";
import { MenuItem } from "@/ui/Menu";
import { notify } from "@/ui/Toast";
import { figure, moment, plural } from "@/words/format";
import { FORMATS, stateWords, type ListedImport } from "@/words/imports";

const count = (id: keyof ListedImport & string, head: string): LedgerColumn<ListedImport> => ({
  id,
  head,
  width: 96,
  isNumber: true,
  isLead: id === "stored",
  value: (one) => one[id] as number,
  cell: (one) => figure(one[id] as number, "count"),
});

/** Files that were imported, the newest first; each opens into the lines that were refused. */
export function ImportList({ imports }: { imports: ListedImport[] }) {
  const { site } = useSite();
  const [open, setOpen] = useState<number | null>(null);
  const [undoing, setUndoing] = useState<ListedImport | null>(null);
  const undo = useSave(
    "everything",
    (one: ListedImport) =>
      ask(client.DELETE("/api/v1/sites/{site}/import/done/{number}", { params: { path: { site: site.key, number: one.id } } })),
    (_, one) => {
      setUndoing(null);
      notify(`The import of ${one.name} was undone.`);
    },
  );
  const columns: LedgerColumn<ListedImport>[] = [
    {
      id: "name",
      head: "File",
      hasControl: true,
      value: (one) => one.name,
      cell: (one, control) => (
        <button
          type="button"
          className="max-w-full truncate text-left font-medium text-teal decoration-1 underline-offset-3 hover:underline"
          aria-expanded={open === one.id}
          onClick={() => setOpen(open === one.id ? null : one.id)}
          {...control}
        >
          {one.name}
        </button>
      ),
    },
    {
      id: "state",
      head: "State",
      width: 120,
      value: stateWords,
      cell: (one) => (
        <span className={one.state === "broken off" || one.state === "stopped" ? "text-rust" : one.state === "undone" ? "text-ink-2" : ""}>
          {stateWords(one)}
        </span>
      ),
    },
    count("lines", "Lines"),
    count("stored", "Stored"),
    count("already_there", "There already"),
    count("bad", "Refused"),
    { id: "format", head: "What it is", width: 190, value: (one) => (one.format ? FORMATS[one.format] : "") },
    { id: "by", head: "By", width: 120, value: (one) => one.by ?? "the machine itself" },
    { id: "at", head: "When", width: 150, value: (one) => one.at, cell: (one) => moment(Date.parse(one.at), site.rules.timezone) },
  ];
  return (
    <>
      <List
        name="Imported files"
        what="a file"
        rows={imports}
        rowId={(one) => String(one.id)}
        sort={{ by: "at", descending: true }}
        columns={columns}
        details={(one) => open === one.id && <Refused one={one} />}
        {...(can(site, "own")
          ? {
              menu: (one: ListedImport) => (
                <MenuItem disabled={one.state === "running" || one.state === "undone"} onSelect={() => setUndoing(one)}>
                  Undo …
                </MenuItem>
              ),
            }
          : {})}
      />
      <Confirm
        open={undoing !== null}
        title={`Undo the import of ${undoing?.name ?? "the file"}?`}
        verb="Undo the import"
        busy={undo.isPending}
        onDo={() => undoing && undo.mutate(undoing)}
        onClose={() => setUndoing(null)}
      >
        {plural(undoing?.stored ?? 0, "hit")} that came with it {undoing?.stored === 1 ? "is" : "are"} deleted, and every report is read
        anew. The file can be imported again.
        {undo.error && <FieldError>{undo.error.detail}</FieldError>}
      </Confirm>
    </>
  );
}

/** What was refused of a file, line by line. */
function Refused({ one }: { one: ListedImport }) {
  const { site } = useSite();
  const found = useQuery(importQuery(site.key, one.id));
  if (found.error) return <FieldError>{found.error.detail}</FieldError>;
  if (!found.data) return <p className="text-ink-2">Reading …</p>;
  const { refused, bad, broken_off, shortened } = found.data;
  return (
    <div className="grid gap-2 py-1">
      {broken_off && <p className="text-rust">{broken_off}</p>}
      {shortened > 0 && <p>Of {plural(shortened, "line")} a part was not understood and left out.</p>}
      {refused.length === 0 ? (
        <p className="text-ink-2">No line was refused.</p>
      ) : (
        <>
          {bad > refused.length && (
            <p className="text-ink-2">
              The first {plural(refused.length, "line")} of {plural(bad, "line")} that were refused:
            </p>
          )}
          <List
            name="Refused lines"
            what="a line"
            rows={refused}
            rowId={(line) => String(line.line)}
            sort={{ by: "line", descending: false }}
            columns={[
              { id: "line", head: "Line", width: 90, value: (line) => line.line },
              {
                id: "why",
                head: "What is wrong",
                isWrapped: true,
                value: (line) => (line.field ? `${line.field}: ${line.text}` : line.text),
              },
            ]}
          />
        </>
      )}
    </div>
  );
}
