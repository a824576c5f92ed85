import { useState, type FormEvent } from "react";

import { ask, client, type EventNote, type SiteEvent } from "@/api/client";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field, Input } from "@/ui/Field";
import { Tallied } from "@/pieces/Tallied";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Select } from "@/ui/Select";

const SHOWN = ["shown_as", "description"];

/** Where an event happens, with what, and what is said of it. */
export function EventDetails({ event }: { event: SiteEvent }) {
  const { narrow } = useView();
  return (
    <div className="event-details">
      <div>
        {event.times === 0 && <p className="quiet">Not in these days, or only by your own people.</p>}
        {event.pages.length > 0 && (
          <p>
            <span className="quiet">On </span>
            <Tallied values={event.pages} />
          </p>
        )}
        {event.props.map((prop) => (
          <p key={prop.key}>
            <span className="quiet">{prop.key} </span>
            <Tallied values={prop.values} />
            {prop.different > prop.values.length && <span className="quiet">and {prop.different - prop.values.length} more</span>}
          </p>
        ))}
        <Button onClick={() => narrow("event", event.name)}>Only visits with it</Button>
      </div>
      <Notes event={event} />
    </div>
  );
}

/** What is said of the events that are sent under one name. */
function Notes({ event }: { event: SiteEvent }) {
  const { site } = useView();
  const canEdit = site.role !== "viewer";
  const [sent, setSent] = useState(event.sent_as[0] ?? event.name);
  const value = noteOf(site.rules.events, sent);
  const [note, setNote] = useState(value);
  const [before, setBefore] = useState<EventNote | null>(null);
  const save = useSave(
    (body: EventNote) => ask(client.PUT("/api/v1/sites/{site}/events", { params: { path: { site: site.key } }, body })),
    (_, given) => setNote(given),
  );
  const { of, all } = fieldErrors(save.error, SHOWN);
  const set = (change: Partial<EventNote>) => {
    save.reset();
    setBefore(null);
    setNote({ ...note, ...change });
  };
  const submit = (happened: FormEvent) => {
    happened.preventDefault();
    setBefore(value);
    save.mutate({ ...note, shown_as: note.shown_as?.trim() ? note.shown_as.trim() : null });
  };
  return (
    <form className="form" onSubmit={submit} noValidate aria-label={`What is said of ${event.name}`}>
      <fieldset disabled={!canEdit}>
        {event.sent_as.length > 1 && (
          <Field label="Sent as" hint="several names are shown as one">
            {(control) => (
              <Select
                {...control}
                value={sent}
                onChange={(to) => {
                  setSent(to);
                  setNote(noteOf(site.rules.events, to));
                }}
                options={event.sent_as}
              />
            )}
          </Field>
        )}
        <Field label="Description" error={of("description")}>
          {(control) => <Input {...control} value={note.description} onChange={(to) => set({ description: to.target.value })} />}
        </Field>
        <Field label="Name in reports" hint={`sent as ${sent}; history follows`} error={of("shown_as")}>
          {(control) => (
            <Input {...control} value={note.shown_as ?? ""} placeholder={sent} onChange={(to) => set({ shown_as: to.target.value })} />
          )}
        </Field>
        <div className="grid gap-1.5">
          <Checkbox
            label="Passive"
            hint="it says nothing about intent, so a visit with it can still bounce"
            checked={note.passive ?? event.passive}
            onChange={(passive) => set({ passive })}
          />
          <Checkbox
            label="Hidden"
            hint="no row in reports, last in this list"
            checked={note.hidden}
            onChange={(hidden) => set({ hidden })}
          />
        </div>
        <div className="end">
          {all && (
            <p className="wrong" role="alert">
              {all}
            </p>
          )}
          <Button type="submit" kind="primary" disabled={!canEdit || save.isPending}>
            Save
          </Button>
          <span role="status" className="quiet">
            {save.isSuccess && "Saved; history is read anew."}
          </span>
          {save.isSuccess && before && (
            <Button
              onClick={() => {
                save.mutate(before);
                setBefore(null);
              }}
            >
              Undo
            </Button>
          )}
        </div>
      </fieldset>
      {!canEdit && <p className="quiet">The site’s analysts can change this.</p>}
    </form>
  );
}

const noteOf = (notes: EventNote[], name: string): EventNote =>
  notes.find((one) => one.name === name) ?? { name, shown_as: null, description: "", passive: null, hidden: false };
