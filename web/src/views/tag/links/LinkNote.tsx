import { useState } from "react";

import type { CellControl } from "@/ledger/columns";
import { Input } from "@/ui/Field";

interface LinkNoteProps {
  note: string;
  canEdit: boolean;
  control: CellControl;
  onKeep: (note: string) => void;
}

/** What a link is for; written anew in its place, kept with Enter or when it is left, left alone with Escape. */
export function LinkNote({ note, canEdit, control, onKeep }: LinkNoteProps) {
  const [typed, setTyped] = useState<string | null>(null);
  if (!canEdit) return <span {...control}>{note}</span>;
  if (typed === null)
    return (
      <button
        type="button"
        className="max-w-full truncate border-b border-dotted border-hairline-firm"
        onClick={() => setTyped(note)}
        {...control}
      >
        {note || <span className="text-ink-2">Add a note</span>}
      </button>
    );
  const keep = () => {
    if (typed !== note) onKeep(typed);
    setTyped(null);
  };
  return (
    <Input
      className="w-full"
      aria-label="Note"
      autoFocus
      maxLength={500}
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
