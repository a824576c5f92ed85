import { EmptyNote } from "@/ui/states";

import { RepeatableRows, type Column } from "@/views/shared/RepeatableRows";
import { Button } from "@/ui/Button";
import type { Alias } from "@/words/sorting";
import { Part } from "@/ui/layout";

const COLUMNS: Column<Alias>[] = [
  { key: "field", label: "Field", options: ["source", "medium", "campaign", "content", "term", "label"] },
  { key: "this", label: "This", placeholder: "e-mail" },
  { key: "that", label: "That", placeholder: "email", before: "is" },
];

interface AliasesProps {
  aliases: Alias[];
  canEdit: boolean;
  error: (...fields: string[]) => string | undefined;
  set: (aliases: Alias[]) => void;
}

/** This is the same as that. */
export function Aliases({ aliases, canEdit, error, set }: AliasesProps) {
  return (
    <Part isWide title="Aliases: this is the same as that" aria-label="Aliases">
      <p className="text-ink-2">Capitals, spaces, + and _ make no difference anyway. An alias joins what is spelled in another way.</p>
      {aliases.length === 0 && <EmptyNote>No aliases yet.</EmptyNote>}
      <RepeatableRows
        name="Aliases"
        layout="max-w-[560px] grid-cols-[110px_minmax(0,1fr)_auto_minmax(0,1fr)_28px]"
        columns={COLUMNS}
        lines={aliases}
        noun={["alias", "aliases"]}
        canEdit={canEdit}
        error={(place) => error(`aliases.${place}`)}
        set={set}
      />
      {canEdit && <Button onClick={() => set([...aliases, { field: "medium", this: "", that: "" }])}>Add an alias</Button>}
    </Part>
  );
}
