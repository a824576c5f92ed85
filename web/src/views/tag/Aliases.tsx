import { EmptyNote } from "@/ui/states";
import { useState } from "react";

import { RepeatableRows, type Column } from "@/views/shared/RepeatableRows";
import { SearchInput } from "@/ledger/SearchInput";
import { Button } from "@/ui/Button";
import { plural } from "@/words/format";
import type { Alias } from "@/words/sorting";
import { Part } from "@/ui/layout";

const COLUMNS: Column<Alias>[] = [
  { key: "field", label: "Field", options: ["source", "medium", "campaign", "content", "term", "label"] },
  { key: "this", label: "This", placeholder: "e-mail" },
  { key: "that", label: "That", placeholder: "email", before: "is" },
];
const SHOWN_AT_FIRST = 12;

interface AliasesProps {
  aliases: Alias[];
  canEdit: boolean;
  error: (...fields: string[]) => string | undefined;
  set: (aliases: Alias[]) => void;
}

/** This is the same as that. */
export function Aliases({ aliases, canEdit, error, set }: AliasesProps) {
  const [query, setQuery] = useState("");
  const [all, setAll] = useState(false);
  const found = aliases
    .map((alias, place) => ({ alias, place }))
    .filter(({ alias }) => `${alias.field} ${alias.this} ${alias.that}`.toLowerCase().includes(query.toLowerCase()));
  const shown = all || found.length <= SHOWN_AT_FIRST ? found : found.slice(-SHOWN_AT_FIRST);
  return (
    <Part isWide title="Aliases: this is the same as that" aria-label="Aliases">
      <p className="text-ink-2">Capitals, spaces, + and _ make no difference anyway. An alias joins what is spelled in another way.</p>
      {aliases.length === 0 && <EmptyNote>No aliases yet.</EmptyNote>}
      {aliases.length > SHOWN_AT_FIRST && <SearchInput what="an alias" query={query} set={setQuery} />}
      <RepeatableRows
        name="Aliases"
        layout="max-w-[560px] grid-cols-[110px_minmax(0,1fr)_auto_minmax(0,1fr)_28px]"
        columns={COLUMNS}
        lines={aliases}
        shown={shown.map(({ place }) => place)}
        canEdit={canEdit}
        error={(place) => error(`aliases.${place}`)}
        set={set}
      />
      {shown.length < found.length && (
        <Button kind="link" onClick={() => setAll(true)}>
          {plural(found.length - shown.length, "earlier alias", "earlier aliases")}
        </Button>
      )}
      {canEdit && <Button onClick={() => set([...aliases, { field: "medium", this: "", that: "" }])}>Add an alias</Button>}
    </Part>
  );
}
