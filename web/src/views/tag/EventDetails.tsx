import { useState, type FormEvent } from "react";

import { ask, client, type EventNote, type SiteEvent } from "@/api/client";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field } from "@/pieces/Field";
import { Tallied } from "@/pieces/Tallied";
import { useView } from "@/state/view";

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
        <button type="button" className="do plain" onClick={() => narrow("event", event.name)}>
          Only visits with it
        </button>
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
              <select
                {...control}
                value={sent}
                onChange={(to) => {
                  setSent(to.target.value);
                  setNote(noteOf(site.rules.events, to.target.value));
                }}
              >
                {event.sent_as.map((name) => (
                  <option key={name}>{name}</option>
                ))}
              </select>
            )}
          </Field>
        )}
        <Field label="Description" error={of("description")}>
          {(control) => <input {...control} value={note.description} onChange={(to) => set({ description: to.target.value })} />}
        </Field>
        <Field label="Name in reports" hint={`sent as ${sent}; history follows`} error={of("shown_as")}>
          {(control) => (
            <input {...control} value={note.shown_as ?? ""} placeholder={sent} onChange={(to) => set({ shown_as: to.target.value })} />
          )}
        </Field>
        <div className="switches">
          <label>
            <input type="checkbox" checked={note.passive ?? event.passive} onChange={(to) => set({ passive: to.target.checked })} />
            <span>
              Passive <span className="quiet">it says nothing about intent, so a visit with it can still bounce</span>
            </span>
          </label>
          <label>
            <input type="checkbox" checked={note.hidden} onChange={(to) => set({ hidden: to.target.checked })} />
            <span>
              Hidden <span className="quiet">no row in reports, last in this list</span>
            </span>
          </label>
        </div>
        <div className="end">
          {all && (
            <p className="wrong" role="alert">
              {all}
            </p>
          )}
          <button type="submit" className="do" disabled={!canEdit || save.isPending}>
            Save
          </button>
          <span role="status" className="quiet">
            {save.isSuccess && "Saved; history is read anew."}
          </span>
          {save.isSuccess && before && (
            <button
              type="button"
              className="do plain"
              onClick={() => {
                save.mutate(before);
                setBefore(null);
              }}
            >
              Undo
            </button>
          )}
        </div>
      </fieldset>
      {!canEdit && <p className="quiet">The site’s analysts can change this.</p>}
    </form>
  );
}

const noteOf = (notes: EventNote[], name: string): EventNote =>
  notes.find((one) => one.name === name) ?? { name, shown_as: null, description: "", passive: null, hidden: false };
