import { useState } from "react";

import { RepeatableRows, type Column } from "@/pieces/RepeatableRows";
import { SearchInput } from "@/pieces/SearchInput";
import { Button } from "@/ui/Button";
import { plural } from "@/words/format";
import type { Alias } from "@/words/sorting";

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
    <section aria-label="Aliases">
      <h2 className="title">Aliases: this is the same as that</h2>
      <p className="quiet">Capitals, spaces, + and _ make no difference anyway. An alias joins what is spelled in another way.</p>
      {aliases.length === 0 && <p className="empty">No aliases yet.</p>}
      {aliases.length > SHOWN_AT_FIRST && <SearchInput what="an alias" query={query} set={setQuery} />}
      <RepeatableRows
        name="Aliases"
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
    </section>
  );
}
