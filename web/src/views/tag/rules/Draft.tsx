import { Part } from "@/ui/layout";
import { useState } from "react";

import { ask, client, type Problem, type Schemas } from "@/api/client";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { Confirm } from "@/ui/Dialog";
import { FieldError, Input } from "@/ui/Field";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Changes } from "@/views/tag/rules/Versions";
import { plural } from "@/words/format";

interface DraftProps {
  value: Schemas["RulesOut"];
  busy: boolean;
  /** Why it could not be thrown away. */
  error: Problem | null;
  onThrow: () => void;
}

/** What is another in the draft than what is live; making it live, or throwing it away. */
export function Draft({ value, busy, error, onThrow }: DraftProps) {
  const { site } = useSite();
  const [throwing, setThrowing] = useState(false);
  const entry = useEntry({
    touches: "rules",
    values: { note: "" },
    send: ({ note }) =>
      ask(client.POST("/api/v1/sites/{site}/rules/versions", { params: { path: { site: site.key } }, body: { note, was: value.draft } })),
    becomes: () => ({ note: "" }),
  });
  return (
    <Part isWide title="What the draft changes" aria-label="The draft">
      {value.changes.length === 0 && <p className="text-ink-2">Nothing; it is just what is live.</p>}
      <Changes changes={value.changes} />
      {error && <FieldError>{error.detail}</FieldError>}
      {value.changes.length > 0 && can(site, "edit") && (
        <EntryForm
          entry={entry}
          label="Publish the draft"
          foot={
            <>
              <Button type="submit" kind="primary" disabled={busy || entry.isSending}>
                Publish
              </Button>
              <Button disabled={busy || entry.isSending} onClick={() => setThrowing(true)}>
                Delete the draft …
              </Button>
              <span className="text-ink-2">Every visitor has it within five minutes.</span>
            </>
          }
        >
          <EntryField entry={entry} name="note" label="What it is for" hint="stands beside the version; may be empty">
            {(control) => <Input {...control} maxLength={300} />}
          </EntryField>
        </EntryForm>
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
    </Part>
  );
}
