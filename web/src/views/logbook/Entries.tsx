import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { useSave } from "@/api/useSave";
import { can } from "@/state/can";
import { viewAt } from "@/state/paths";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { notify } from "@/ui/Toast";
import { daysWords, KIND_WORDS } from "@/words/logbook";

type LogbookOut = Schemas["LogbookOut"];

interface EntriesProps {
  entries: LogbookOut[];
  edited: number | null;
  onEdit: (entry: number) => void;
  editing: (entry: LogbookOut) => ReactNode;
  /** When one leaves for the view of an entry. */
  onGone: () => void;
}

/** What was noted, each with its day, its kind and the view that it was written on. */
export function Entries({ entries, edited, onEdit, editing, onGone }: EntriesProps) {
  const { site } = useSite();
  const mayWrite = can(site, "edit");
  const path = (entry: number) => ({ params: { path: { site: site.key, entry } } });
  const restore = useSave("logbook", (entry: number) => ask(client.POST("/api/v1/sites/{site}/logbook/{entry}/restore", path(entry))));
  const remove = useSave(
    "logbook",
    (entry: LogbookOut) => ask(client.DELETE("/api/v1/sites/{site}/logbook/{entry}", path(entry.id))),
    (_, entry) => notify("The entry was deleted.", () => restore.mutate(entry.id)),
  );
  return (
    <ul aria-label="Entries" className="grid">
      {entries.map((entry) => (
        <li key={entry.id} className="grid gap-1 border-t border-hairline py-2.5">
          {edited === entry.id ? (
            editing(entry)
          ) : (
            <>
              <p className="text-label text-ink-2">
                {daysWords(entry)} · {KIND_WORDS[entry.kind]}
                {entry.by && ` · ${entry.by}`}
              </p>
              <p className="wrap-anywhere whitespace-pre-line">{entry.text}</p>
              <p className="flex flex-wrap gap-x-3.5 text-label">
                <OpenView address={entry.view} onGone={onGone} />
                {mayWrite && (
                  <>
                    <Button kind="link" aria-label={`Edit: ${entry.text}`} onClick={() => onEdit(entry.id)}>
                      Edit
                    </Button>
                    <Button
                      kind="link"
                      aria-label={`Delete: ${entry.text}`}
                      disabled={remove.isPending}
                      onClick={() => remove.mutate(entry)}
                    >
                      Delete
                    </Button>
                  </>
                )}
              </p>
            </>
          )}
        </li>
      ))}
    </ul>
  );
}

/** To the view that an entry was written on, as it was read then. */
function OpenView({ address, onGone }: { address: string; onGone: () => void }) {
  const { site } = useSite();
  const view = viewAt(address);
  if (!view) return null;
  return (
    <Link
      to={view.to}
      params={{ site: site.key }}
      search={view.search}
      className="text-teal underline-offset-3 hover:underline"
      onClick={onGone}
    >
      Open the view
    </Link>
  );
}
