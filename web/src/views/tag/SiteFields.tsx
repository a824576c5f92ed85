import { useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { ask, client, type SiteField } from "@/api/client";
import { tableQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { Code } from "@/pieces/Code";
import { Confirm } from "@/ui/Dialog";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field, Input } from "@/ui/Field";
import { Heads } from "@/pieces/Heads";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { figure, plural } from "@/words/format";
import { fieldCode } from "@/words/code";
import { readWords } from "@/words/goals";

const NEW: SiteField = { key: "", title: "", of: "hit", read: { kind: "sent" } };

/** Dimensions of the site's own: an author, a plan, who gets the sale. */
export function SiteFields() {
  const { site } = useView();
  const canEdit = site.role !== "viewer";
  const [open, setOpen] = useState<SiteField | null>(null);
  const [dropping, setDropping] = useState<SiteField | null>(null);
  const [dropped, setDropped] = useState<SiteField | null>(null);
  const path = (key: string) => ({ params: { path: { site: site.key, key } } });
  const keep = useSave(
    (field: SiteField) => ask(client.PUT("/api/v1/sites/{site}/fields/{key}", { ...path(field.key), body: field })),
    () => {
      setDropped(null);
      setOpen(null);
    },
  );
  const drop = useSave(
    (field: SiteField) => ask(client.DELETE("/api/v1/sites/{site}/fields/{key}", path(field.key))),
    (_, field) => {
      setDropped(field);
      setDropping(null);
      setOpen(null);
    },
  );
  const fields = site.rules.fields;
  return (
    <div className="tag sides">
      <h1 className="answer">
        {fields.length
          ? `${plural(fields.length, "field")} of the site’s own, each a dimension of every report.`
          : "No fields of the site’s own yet."}
      </h1>
      <section aria-label="Site fields">
        {fields.length === 0 && (
          <p className="empty">
            A field carries what only your site knows: who wrote a page, which plan a customer is on, who gets the sale. It can be broken
            down by and narrowed to everywhere, and goals can ask for it.
          </p>
        )}
        {fields.length > 0 && (
          <div className="ledger-box">
            <table className="hits events">
              <Heads heads={["Field", "Of", "Comes from", "Commonest values, visits"]} />
              <tbody>
                {fields.map((field) => (
                  <tr key={field.key} aria-current={open?.key === field.key ? "true" : undefined}>
                    <td>
                      <Button kind="link" onClick={() => setOpen(field)}>
                        {field.title}
                      </Button>
                    </td>
                    <td>{field.of === "hit" ? "each hit" : "the whole visit"}</td>
                    <td className="wrap">{readWords(field)}</td>
                    <td className="wrap">
                      <Commonest field={field} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        <div className="end">
          {canEdit && (
            <Button kind="primary" onClick={() => setOpen(NEW)}>
              Add a field
            </Button>
          )}
          {dropped && (
            <p role="status">
              {dropped.title} was removed. <Button onClick={() => keep.mutate(dropped)}>Restore</Button>
            </p>
          )}
        </div>
      </section>
      {open ? (
        <FieldForm
          key={open.key}
          field={open}
          canEdit={canEdit}
          busy={keep.isPending}
          error={keep.error}
          onChange={() => keep.reset()}
          onSave={(field) => keep.mutate(field)}
          onClose={() => setOpen(null)}
          onDrop={() => setDropping(open)}
        />
      ) : (
        <p className="quiet">
          Open a field to change it. Values that are read from the address or from properties reach back over all history.
        </p>
      )}
      <Confirm
        open={dropping !== null}
        title={`Remove ${dropping?.title ?? "the field"}?`}
        verb="Remove"
        busy={drop.isPending}
        onDo={() => dropping && drop.mutate(dropping)}
        onClose={() => setDropping(null)}
      >
        No report can be read by it then. What was collected stays, and the field can be put back.
      </Confirm>
    </div>
  );
}

function Commonest({ field }: { field: SiteField }) {
  const { site, period, versus, goal, filters, live, narrow } = useView();
  const dimension = `field.${field.key}`;
  const asked = { period, versus, goal: goal?.id ?? null, filters: filters.filter((one) => one.dimension !== dimension) };
  const table = useQuery(
    tableQuery(site.key, { ...asked, dimensions: [dimension], measures: ["visits"], sort: "visits", descending: true, limit: 4 }, { live }),
  );
  const rows = table.data?.rows.filter((row) => row.keys[0]) ?? [];
  if (table.data && rows.length === 0) return <span className="quiet">none in these days</span>;
  return rows.map((row) => (
    <button key={row.keys[0]} type="button" className="tallied link" onClick={() => narrow(dimension, row.keys[0] ?? "")}>
      {row.keys[0]} <i>{figure(row.values["visits"], "count")}</i>
    </button>
  ));
}

interface FieldFormProps {
  field: SiteField;
  canEdit: boolean;
  busy: boolean;
  error: Error | null;
  onChange: () => void;
  onSave: (field: SiteField) => void;
  onClose: () => void;
  onDrop: () => void;
}

const SHOWN = ["key", "title", "read"];
const KEY = /^[a-z0-9][a-z0-9_-]{0,39}$/;

function FieldForm({ field, canEdit, busy, error, onChange, onSave, onClose, onDrop }: FieldFormProps) {
  const { site } = useView();
  const [given, setGiven] = useState(field);
  const [tried, setTried] = useState(false);
  const fresh = field.key === "";
  const { of, all } = fieldErrors(error, SHOWN);
  const set = (change: Partial<SiteField>) => {
    onChange();
    setGiven({ ...given, ...change });
  };
  const taken = fresh && site.rules.fields.some((one) => one.key === given.key);
  const badKey = taken
    ? "There is a field with this key already."
    : !KEY.test(given.key)
      ? "Small letters, digits, - and _, 40 at most."
      : null;
  const { read } = given;
  const detail = read.kind === "query" || read.kind === "property" ? read.key : read.kind === "page" ? read.pattern : "";
  const readFrom = (kind: string, text: string): SiteField["read"] =>
    kind === "page" ? { kind, pattern: text } : kind === "query" || kind === "property" ? { kind, key: text } : { kind: "sent" };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setTried(true);
    if (!badKey) onSave(given);
  };
  return (
    <form className="form" onSubmit={submit} noValidate aria-label={fresh ? "A new field" : `The field ${field.title}`}>
      <h2 className="title">{fresh ? "A new field" : field.title}</h2>
      <fieldset disabled={!canEdit}>
        <Field label="Name" hint="as it stands in reports" error={of("title")}>
          {(control) => (
            <Input {...control} value={given.title} placeholder="Author" onChange={(event) => set({ title: event.target.value })} />
          )}
        </Field>
        <Field label="Key" hint="as it is sent, and as it stands in addresses" error={of("key") ?? (tried ? badKey : null)}>
          {(control) => (
            <Input
              {...control}
              value={given.key}
              readOnly={!fresh}
              placeholder="author"
              onChange={(event) => set({ key: event.target.value })}
            />
          )}
        </Field>
        <Field
          label="Of"
          hint={
            given.of === "hit"
              ? "each hit has its own value, such as the author of a page"
              : "the last value of the visit stands for all of it, such as a plan"
          }
        >
          {(control) => (
            <Select
              {...control}
              value={given.of}
              onChange={(to) => set({ of: to })}
              options={[
                { value: "hit", label: "each hit" },
                { value: "visit", label: "the whole visit" },
              ]}
            />
          )}
        </Field>
        <Field label="Where the value comes from">
          {(control) => (
            <Select
              {...control}
              value={read.kind}
              onChange={(to) => set({ read: readFrom(to, "") })}
              options={[
                { value: "sent", label: "the site sends it" },
                { value: "query", label: "a key of the address’ query" },
                { value: "page", label: "a part of the page’s path" },
                { value: "property", label: "a property of events" },
              ]}
            />
          )}
        </Field>
        {read.kind !== "sent" && (
          <Field
            label={read.kind === "page" ? "Regular expression" : "Its key"}
            hint={read.kind === "page" ? "round brackets around the part, as in ^/recipes/([^/]+)" : undefined}
            error={of("read")}
          >
            {(control) => (
              <Input {...control} value={detail} onChange={(event) => set({ read: readFrom(read.kind, event.target.value) })} />
            )}
          </Field>
        )}
      </fieldset>
      {read.kind === "sent" && KEY.test(given.key) && (
        <>
          <p className="quiet">In the head of the page, or by a call when the page knows it later:</p>
          <Code text={fieldCode(given.key)} />
        </>
      )}
      <div className="end">
        {all && (
          <p className="wrong" role="alert">
            {all}
          </p>
        )}
        {canEdit && (
          <Button type="submit" kind="primary" disabled={busy}>
            {fresh ? "Add it" : "Save"}
          </Button>
        )}
        <Button onClick={onClose}>Close</Button>
        {!fresh && canEdit && <Button onClick={onDrop}>Remove …</Button>}
      </div>
    </form>
  );
}
