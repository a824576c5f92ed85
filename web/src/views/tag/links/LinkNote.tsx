import { Input } from "@/ui/Field";
import { useState } from "react";

interface LinkNoteProps {
  note: string;
  canEdit: boolean;
  onKeep: (note: string) => void;
}

/** What a link is for; written anew in its place, kept with Enter or when it is left, left alone with Escape. */
export function LinkNote({ note, canEdit, onKeep }: LinkNoteProps) {
  const [typed, setTyped] = useState<string | null>(null);
  if (!canEdit) return <>{note}</>;
  if (typed === null)
    return (
      <button type="button" className="note" onClick={() => setTyped(note)}>
        {note || <span className="quiet">Add a note</span>}
      </button>
    );
  const keep = () => {
    if (typed !== note) onKeep(typed);
    setTyped(null);
  };
  return (
    <Input
      className="w-60"
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
