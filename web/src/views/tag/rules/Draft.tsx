import { useState, type FormEvent } from "react";

import type { Schemas } from "@/api/client";
import { Confirm } from "@/ui/Dialog";
import { Field, Input } from "@/ui/Field";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Changes } from "@/views/tag/rules/Versions";
import { plural } from "@/words/format";

interface DraftProps {
  value: Schemas["RulesOut"];
  busy: boolean;
  error: Error | null;
  onLive: (note: string) => void;
  onThrow: () => void;
}

/** What is another in the draft than what is live; making it live, or throwing it away. */
export function Draft({ value, busy, error, onLive, onThrow }: DraftProps) {
  const { site } = useView();
  const [note, setNote] = useState("");
  const [throwing, setThrowing] = useState(false);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onLive(note);
    setNote("");
  };
  return (
    <section aria-label="The draft">
      <h2 className="title">What the draft changes</h2>
      {value.changes.length === 0 && <p className="quiet">Nothing; it is just what is live.</p>}
      <Changes changes={value.changes} />
      {error && (
        <p className="wrong" role="alert">
          {error.message}
        </p>
      )}
      {value.changes.length > 0 && site.role !== "viewer" && (
        <form className="form" onSubmit={submit} noValidate>
          <Field label="What it is for" hint="stands beside the version; may be empty">
            {(control) => <Input {...control} value={note} maxLength={300} onChange={(event) => setNote(event.target.value)} />}
          </Field>
          <div className="end">
            <Button type="submit" kind="primary" disabled={busy}>
              Make it live
            </Button>
            <Button disabled={busy} onClick={() => setThrowing(true)}>
              Delete the draft …
            </Button>
            <span className="quiet">Every visitor has it within five minutes.</span>
          </div>
        </form>
      )}
      <Confirm
        open={throwing}
        title="Delete the draft?"
        verb="Delete"
        busy={busy}
        onDo={() => {
          onThrow();
          setThrowing(false);
        }}
        onClose={() => setThrowing(false)}
      >
        {plural(value.changes.length, "change")} will be gone. What is live stays as it is.
      </Confirm>
    </section>
  );
}
