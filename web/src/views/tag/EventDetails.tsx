import { useState } from "react";
import { useWatch } from "react-hook-form";

import { ask, client, type EventNote, type SiteEvent } from "@/api/client";
import { useSave } from "@/api/useSave";
import { EntryField, EntryForm, EntryToggle } from "@/forms/EntryForm";
import { useLeave } from "@/forms/leaving";
import { useEntry } from "@/forms/useEntry";
import { Field, Input } from "@/ui/Field";
import { Tallied } from "@/views/shared/Tallied";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useSteering } from "@/state/view";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { notify } from "@/ui/Toast";

/** Where an event happens, with what, and what is said of it. */
export function EventDetails({ event, names }: { event: SiteEvent; names: string[] }) {
  const { narrow } = useSteering();
  return (
    <div className="grid gap-x-7 gap-y-2 pt-1.5 md:grid-cols-2">
      <div>
        {event.times === 0 && <p className="text-ink-2">Not in these days, or only by your own people.</p>}
        {event.pages.length > 0 && (
          <p>
            <span className="text-ink-2">On </span>
            <Tallied values={event.pages} />
          </p>
        )}
        {event.props.map((prop) => (
          <p key={prop.key}>
            <span className="text-ink-2">{prop.key} </span>
            <Tallied values={prop.values} />
            {prop.different > prop.values.length && <span className="text-ink-2">and {prop.different - prop.values.length} more</span>}
          </p>
        ))}
        <Button onClick={() => narrow("event", event.name)}>Only visits with it</Button>
      </div>
      <Notes event={event} names={names} />
    </div>
  );
}

/** What is said of the events that are sent under one name. */
function Notes({ event, names }: { event: SiteEvent; names: string[] }) {
  const { site } = useSite();
  const canEdit = can(site, "edit");
  const leave = useLeave();
  const [sent, setSent] = useState(event.sent_as[0] ?? event.name);
  const note = noteOf(site.rules.events, sent);
  return (
    <div className="min-w-0">
      {event.sent_as.length > 1 && (
        <Field label="Sent as" hint="several names are shown as one">
          {(control) => <Select {...control} value={sent} onChange={(to) => leave(() => setSent(to))} options={event.sent_as} />}
        </Field>
      )}
      <NoteForm key={JSON.stringify(note)} event={event} names={names} note={note} canEdit={canEdit} />
      {!canEdit && <p className="text-ink-2">The site’s analysts can change this.</p>}
    </div>
  );
}

interface NoteFormProps {
  event: SiteEvent;
  /** Of all events, as reports show them. */
  names: string[];
  note: EventNote;
  canEdit: boolean;
}

function NoteForm({ event, names, note, canEdit }: NoteFormProps) {
  const { site } = useSite();
  const send = (body: EventNote) => ask(client.PUT("/api/v1/sites/{site}/events", { params: { path: { site: site.key } }, body }));
  const undo = useSave("everything", send);
  const entry = useEntry({
    touches: "everything",
    values: { ...note, shown_as: note.shown_as ?? "", passive: note.passive ?? event.passive },
    send: (body) => send({ ...body, shown_as: body.shown_as.trim() || null }),
    after: () =>
      notify(joins ? `${note.name} and ${joins} are one now, history included.` : "Saved; history is read anew.", () => undo.mutate(note)),
  });
  const { shown_as } = useWatch({ control: entry.form.control }) as { shown_as?: string };
  const meant = shown_as?.trim() ?? "";
  const joins = names.find((name) => name === meant && name !== event.name && name !== note.name);
  return (
    <EntryForm
      entry={entry}
      label={`What is said of ${event.name}`}
      canEdit={canEdit}
      className="py-2"
      foot={
        <Button type="submit" kind="primary" disabled={!canEdit || entry.isSending}>
          Save
        </Button>
      }
    >
      <EntryField entry={entry} name="description" label="Description">
        {(control) => <Input {...control} />}
      </EntryField>
      <EntryField
        entry={entry}
        name="shown_as"
        label="Name in reports"
        hint={
          joins ? `${joins} is there already: the two become one everywhere, history included` : `sent as ${note.name}; history follows`
        }
      >
        {(control) => <Input {...control} placeholder={note.name} />}
      </EntryField>
      <div className="grid gap-1.5">
        <EntryToggle
          entry={entry}
          name="passive"
          label="Passive"
          hint="it says nothing about intent, so a visit with it can still bounce"
        />
        <EntryToggle entry={entry} name="hidden" label="Hidden" hint="no row in reports, last in this list" />
      </div>
    </EntryForm>
  );
}

const noteOf = (notes: EventNote[], name: string): EventNote =>
  notes.find((one) => one.name === name) ?? { name, shown_as: null, description: "", passive: null, hidden: false };
