import { useRouter } from "@tanstack/react-router";
import type { ReactNode } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { useSave } from "@/api/useSave";
import { can } from "@/state/can";
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
  const router = useRouter();
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
                {entry.view && (
                  <a
                    className="text-teal underline-offset-3 hover:underline"
                    href={`/s/${site.key}${entry.view}`}
                    onClick={(event) => {
                      if (event.ctrlKey || event.metaKey || event.shiftKey) return;
                      event.preventDefault();
                      onGone();
                      router.history.push(`/s/${site.key}${entry.view}`);
                    }}
                  >
                    Open the view
                  </a>
                )}
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
