import { useState, type ReactNode } from "react";

import type { Schemas } from "@/api/client";
import { matchDraft, matchFault, matchOf, newMatch } from "@/views/explain/segments/draft";
import { MatchMore, MatchWords } from "@/views/explain/segments/MatchWords";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Popover } from "@/ui/Popover";
import { Actions } from "@/ui/text";

interface StepEditorProps {
  trigger: ReactNode;
  label: string;
  /** The step; null for one that is new. */
  match: Schemas["HitMatch"] | null;
  /** What is said of it above the form. */
  note?: string;
  onSave: (match: Schemas["HitMatch"]) => void;
}

/** A step as it is written: a page that is seen, an event, an order, with what it must have. */
export function StepEditor({ trigger, label, match, note, onSave }: StepEditorProps) {
  const [open, setOpen] = useState(false);
  return (
    <Popover trigger={trigger} label={label} open={open} onOpenChange={setOpen} isWide>
      {open && <StepForm match={match} note={note} onSave={onSave} onClose={() => setOpen(false)} />}
    </Popover>
  );
}

type StepFormProps = Pick<StepEditorProps, "match" | "onSave"> & { note: string | undefined; onClose: () => void };

function StepForm({ match, note, onSave, onClose }: StepFormProps) {
  const [draft, setDraft] = useState(() => (match ? matchDraft(match) : newMatch("view")));
  const [isTried, setTried] = useState(false);
  const fault = isTried ? matchFault(draft) : null;
  return (
    <form
      className="grid gap-2 px-3.5 py-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        setTried(true);
        if (matchFault(draft)) return;
        onSave(matchOf(draft));
        onClose();
      }}
    >
      {note && <p className="text-label text-ink-2">{note}</p>}
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-1 leading-6 text-ink-2">
        <MatchWords match={draft} set={setDraft} isWrong={fault !== null} isNew />
        <MatchMore match={draft} set={setDraft} />
      </div>
      {fault && <FieldError>{fault}</FieldError>}
      <Actions>
        <Button kind="primary" type="submit">
          Save
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </Actions>
    </form>
  );
}
