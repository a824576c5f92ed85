import { useLocation } from "@tanstack/react-router";

import { ask, client, type Schemas } from "@/api/client";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { isDay } from "@/state/days";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Input, Textarea } from "@/ui/Field";
import { Select } from "@/ui/Select";
import { notify } from "@/ui/Toast";
import { KIND_WORDS, KINDS, viewOf } from "@/words/logbook";

interface EntryEntryProps {
  /** The one that is changed; without it a new one is written, on the view in hand. */
  entry?: Schemas["LogbookOut"];
  text?: string | undefined;
  onDone: () => void;
  onCancel: () => void;
}

/** An entry of the logbook, as it is written. */
export function EntryEntry({ entry: stored, text = "", onDone, onCancel }: EntryEntryProps) {
  const { site } = useSite();
  const { period } = useView();
  const { href } = useLocation();
  const entry = useEntry({
    values: stored
      ? { kind: stored.kind, first: stored.first, last: stored.last, text: stored.text }
      : { kind: text ? ("finding" as const) : ("note" as const), first: text ? period.first : period.last, last: period.last, text },
    check: (given) => ({
      ...(given.text.trim() ? {} : { text: "Say what happened." }),
      ...(isDay(given.first) ? {} : { first: "Give a day." }),
      ...(isDay(given.last) ? (given.last < given.first ? { last: "The last day lies before the first." } : {}) : { last: "Give a day." }),
    }),
    send: (given) => {
      const body = { ...given, view: stored ? stored.view : viewOf(href, site.key) };
      return stored
        ? ask(client.PUT("/api/v1/sites/{site}/logbook/{entry}", { params: { path: { site: site.key, entry: stored.id } }, body }))
        : ask(client.POST("/api/v1/sites/{site}/logbook", { params: { path: { site: site.key } }, body }));
    },
    after: () => {
      notify(stored ? "The entry was changed." : "It is in the logbook.");
      onDone();
    },
    touches: "logbook",
  });
  return (
    <EntryForm
      entry={entry}
      label={stored ? "The entry" : "A new entry"}
      foot={
        <>
          <Button type="submit" kind="primary">
            Save
          </Button>
          <Button
            onClick={() => {
              entry.cancel();
              onCancel();
            }}
          >
            Cancel
          </Button>
        </>
      }
    >
      <EntryField entry={entry} name="text" label="What happened">
        {(control) => <Textarea {...control} rows={3} autoFocus />}
      </EntryField>
      <EntryField entry={entry} name="kind" label="Kind">
        {(control) => <Select {...control} options={KINDS.map((kind) => ({ value: kind, label: KIND_WORDS[kind] }))} />}
      </EntryField>
      <div className="grid grid-cols-2 gap-3">
        <EntryField entry={entry} name="first" label="On, or from">
          {(control) => <Input {...control} type="date" />}
        </EntryField>
        <EntryField entry={entry} name="last" label="To">
          {(control) => <Input {...control} type="date" />}
        </EntryField>
      </div>
    </EntryForm>
  );
}
