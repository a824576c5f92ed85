import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "@/api/client";
import { logbookQuery } from "@/api/queries";
import { Entries } from "@/views/logbook/Entries";
import { EntryEntry } from "@/views/logbook/EntryEntry";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { SearchInput } from "@/ledger/SearchInput";
import { fits } from "@/ledger/columns";
import { Button } from "@/ui/Button";
import { Sheet } from "@/ui/Dialog";
import { ErrorState } from "@/ui/states";
import { plural } from "@/words/format";
import { KIND_WORDS } from "@/words/logbook";

type LogbookOut = Schemas["LogbookOut"];
/** From so many entries on, they can be searched; and so many stand there before all are wanted. */
const SEARCHABLE_FROM = 5;
const AT_ONCE = 50;

interface DrawerProps {
  writing: boolean;
  text?: string | undefined;
  onWriting: (writing: boolean) => void;
  onClose: () => void;
}

/** The logbook: what was noted, the newest day first, and a new entry. */
export function Drawer({ writing, text, onWriting, onClose }: DrawerProps) {
  const { site } = useSite();
  const { period } = useView();
  const found = useQuery(logbookQuery(site.key));
  const [query, setQuery] = useState("");
  const [isWhole, setWhole] = useState(false);
  const [edited, setEdited] = useState<number | null>(null);
  const all = found.data ?? [];
  const fitting = all.filter((one) => fits([one.text, KIND_WORDS[one.kind], one.by ?? "", one.first], query));
  const shown = isWhole ? fitting : fitting.slice(0, AT_ONCE);
  const mayWrite = can(site, "edit");
  const here = all.filter((one) => one.first <= period.last && one.last >= period.first).length;
  const editing = (entry: LogbookOut) => <EntryEntry entry={entry} onDone={() => setEdited(null)} onCancel={() => setEdited(null)} />;
  return (
    <Sheet
      open
      above={found.data ? `${plural(here, "entry", "entries")} of the days that are read` : " "}
      title="Logbook"
      onClose={onClose}
    >
      <div className="mt-3 grid gap-3">
        {writing && mayWrite ? (
          <EntryEntry text={text} onDone={() => onWriting(false)} onCancel={() => onWriting(false)} />
        ) : (
          mayWrite && (
            <p>
              <Button kind="primary" onClick={() => onWriting(true)}>
                Write an entry
              </Button>
            </p>
          )
        )}
        {(all.length >= SEARCHABLE_FROM || query) && <SearchInput what="an entry" query={query} set={setQuery} />}
        {found.isPending && <LedgerSkeleton rows={5} />}
        {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
        {found.data && !all.length && (
          <p className="text-ink-2">
            Nothing is noted yet. Write down what changes on the site and what you find: it stands as a flag on every chart over time.
          </p>
        )}
        {all.length > 0 && !fitting.length && <p className="text-ink-2">No entry contains all of these words.</p>}
        <Entries entries={shown} edited={edited} onEdit={setEdited} editing={editing} onGone={onClose} />
        {fitting.length > shown.length && (
          <p>
            <Button kind="link" onClick={() => setWhole(true)}>
              {plural(fitting.length - shown.length, "earlier entry", "earlier entries")}
            </Button>
          </p>
        )}
      </div>
    </Sheet>
  );
}
