import { Tallied } from "@/views/shared/Tallied";
import { EmptyNote, ErrorState } from "@/ui/states";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { Part, Sides } from "@/ui/layout";
import { ask, client, type Schemas, type SiteField } from "@/api/client";
import { segmentOf } from "@/api/figures";
import { seenFieldsQuery, tableQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { Code } from "@/ui/Code";
import { Confirm } from "@/ui/Dialog";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useLeave } from "@/forms/leaving";
import { useEntry, useHeld } from "@/forms/useEntry";
import { Input } from "@/ui/Field";
import { actionColumn } from "@/ledger/actionColumn";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Actions, Answer, Title } from "@/ui/text";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { figure, plural } from "@/words/format";
import { fieldCode } from "@/words/code";
import { readWords } from "@/words/goals";

const NEW: SiteField = { key: "", title: "", of: "hit", read: { kind: "sent" } };

/** Dimensions of the site's own: an author, a plan, who gets the sale. */
export function SiteFields() {
  const { site } = useSite();
  const canEdit = can(site, "edit");
  const leave = useLeave();
  const [open, setOpen] = useState<SiteField | null>(null);
  const [dropping, setDropping] = useState<SiteField | null>(null);
  const [dropped, setDropped] = useState<SiteField | null>(null);
  const path = (key: string) => ({ params: { path: { site: site.key, key } } });
  const send = (field: SiteField) => ask(client.PUT("/api/v1/sites/{site}/fields/{key}", { ...path(field.key), body: field }));
  const keep = useSave("everything", send, () => setDropped(null));
  const drop = useSave(
    "everything",
    (field: SiteField) => ask(client.DELETE("/api/v1/sites/{site}/fields/{key}", path(field.key))),
    (_, field) => {
      setDropped(field);
      setDropping(null);
      setOpen(null);
    },
  );
  const fields = site.rules.fields;
  return (
    <Sides>
      <Answer>
        {fields.length
          ? `${plural(fields.length, "field")} of the site’s own, each a dimension of every report.`
          : "No fields of the site’s own yet."}
      </Answer>
      <Part isWide aria-label="Site fields">
        {fields.length === 0 && (
          <EmptyNote>
            A field carries what only your site knows: who wrote a page, which plan a customer is on, who gets the sale. It can be broken
            down by and narrowed to everywhere, and goals can ask for it.
          </EmptyNote>
        )}
        {fields.length > 0 && (
          <List
            name="Site fields"
            what="a field"
            rows={fields}
            rowId={(field) => field.key}
            sort={{ by: "title", descending: false }}
            isCurrent={(field) => open?.key === field.key}
            columns={[
              {
                id: "title",
                head: "Field",
                hasControl: true,
                value: (field) => field.title,
                cell: (field, control) => (
                  <Button kind="link" onClick={() => leave(() => setOpen(field))} {...control}>
                    {field.title}
                  </Button>
                ),
              },
              { id: "of", head: "Of", width: 110, value: (field) => (field.of === "hit" ? "each hit" : "the whole visit") },
              { id: "read", head: "Comes from", width: 180, isWrapped: true, value: (field) => readWords(field) },
              {
                id: "commonest",
                head: "Commonest values, visits",
                width: 250,
                isWrapped: true,
                isSortable: false,
                hasControl: true,
                value: () => null,
                cell: (field) => <Commonest field={field} />,
              },
            ]}
          />
        )}
        <Undefined onDefine={canEdit ? (key) => leave(() => setOpen({ ...NEW, key })) : undefined} />
        <Actions>
          {canEdit && (
            <Button kind="primary" onClick={() => leave(() => setOpen(NEW))}>
              Add a field
            </Button>
          )}
          {dropped && (
            <p role="status">
              {dropped.title} was removed. <Button onClick={() => keep.mutate(dropped)}>Restore</Button>
            </p>
          )}
        </Actions>
      </Part>
      {open ? (
        <FieldForm
          key={open.key}
          field={open}
          canEdit={canEdit}
          onSave={send}
          onSaved={() => {
            setDropped(null);
            setOpen(null);
          }}
          onClose={() => setOpen(null)}
          onDrop={() => setDropping(open)}
        />
      ) : (
        <p className="text-ink-2">
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
        No report can be read by it then. What was collected stays, and the field can be restored.
      </Confirm>
    </Sides>
  );
}

/** Keys that hits bear and that nobody defined yet. */
function Undefined({ onDefine }: { onDefine: ((key: string) => void) | undefined }) {
  const { site } = useSite();
  const seen = useQuery(seenFieldsQuery(site.key));
  const known = new Set(site.rules.fields.map((field) => field.key));
  const rows = seen.data?.filter((one) => !known.has(one.key)) ?? [];
  if (seen.error) return <ErrorState error={seen.error} again={() => void seen.refetch()} />;
  if (!rows.length) return null;
  return (
    <section aria-label="Arrived, but not defined" className="mt-3 grid gap-1">
      <Title>Arrived, but not defined</Title>
      <List
        name="Arrived, but not defined"
        what="a key"
        rows={rows}
        rowId={(one) => one.key}
        sort={{ by: "key", descending: false }}
        columns={[
          { id: "key", head: "Key", value: (one) => one.key, cell: (one) => <LongText text={one.key} /> },
          {
            id: "commonest",
            head: "Commonest values, hits",
            width: 340,
            isWrapped: true,
            isSortable: false,
            value: (one) => one.values.map(({ value }) => value).join(", "),
            cell: (one) => (
              <span className="wrap-anywhere text-ink-2">
                <Tallied values={one.values} />
              </span>
            ),
          },
          ...(onDefine
            ? [
                actionColumn<Schemas["PropOut"]>({
                  verb: "Define",
                  label: (one) => `Define ${one.key}`,
                  width: 64,
                  onDo: (one) => onDefine(one.key),
                }),
              ]
            : []),
        ]}
      />
    </section>
  );
}

function Commonest({ field }: { field: SiteField }) {
  const { site } = useSite();
  const { period, versus, goal, filters, parts, live } = useView();
  const { narrow } = useSteering();
  const dimension = `field.${field.key}`;
  const asked = {
    period,
    versus,
    goal: goal?.id ?? null,
    segment: segmentOf(
      filters.filter((one) => one.dimension !== dimension),
      parts,
    ),
  };
  const table = useQuery(
    tableQuery(site.key, { ...asked, dimensions: [dimension], measures: ["visits"], sort: "visits", descending: true, limit: 4 }, { live }),
  );
  const rows = table.data?.rows.filter((row) => row.keys[0]) ?? [];
  if (table.data && rows.length === 0) return <span className="text-ink-2">none in these days</span>;
  return rows.map((row) => (
    <button
      key={row.keys[0]}
      type="button"
      className="mr-2.5 inline-block wrap-anywhere text-teal decoration-1 underline-offset-3 hover:underline"
      onClick={() => narrow(dimension, row.keys[0] ?? "")}
    >
      {row.keys[0]} <i>{figure(row.values["visits"], "count")}</i>
    </button>
  ));
}

interface FieldFormProps {
  field: SiteField;
  canEdit: boolean;
  onSave: (field: SiteField) => Promise<unknown>;
  onSaved: () => void;
  onClose: () => void;
  onDrop: () => void;
}

const KEY = /^[a-z0-9][a-z0-9_-]{0,39}$/;

/** A field as it is being written: what it is read by stands in one text, whichever way that is. */
const asForm = ({ key, title, of, read }: SiteField) => ({
  key,
  title,
  of,
  kind: read.kind,
  by: read.kind === "page" ? read.pattern : read.kind === "sent" ? "" : read.key,
});

function asField({ key, title, of, kind, by }: ReturnType<typeof asForm>): SiteField {
  return { key, title, of, read: kind === "page" ? { kind, pattern: by } : kind === "sent" ? { kind } : { kind, key: by } };
}

function FieldForm({ field, canEdit, onSave, onSaved, onClose, onDrop }: FieldFormProps) {
  const { site } = useSite();
  const leave = useLeave();
  const fresh = !site.rules.fields.some((one) => one.key === field.key);
  const wrongKey = (key: string): string | undefined => {
    if (fresh && site.rules.fields.some((one) => one.key === key)) return "There is a field with this key already.";
    return KEY.test(key) ? undefined : "Small letters, digits, - and _, 40 at most.";
  };
  const entry = useEntry({
    touches: "everything",
    values: asForm(field),
    send: (form) => onSave(asField(form)),
    check: ({ key }) => {
      const wrong = wrongKey(key);
      return wrong ? { key: wrong } : {};
    },
    after: onSaved,
  });
  const form = useHeld(entry);
  return (
    <EntryForm
      entry={entry}
      label={fresh ? "A new field" : `The field ${field.title}`}
      canEdit={canEdit}
      foot={
        <>
          {canEdit && (
            <Button type="submit" kind="primary" disabled={entry.isSending}>
              {fresh ? "Add the field" : "Save"}
            </Button>
          )}
          <Button onClick={() => leave(onClose)}>Close</Button>
          {!fresh && canEdit && <Button onClick={onDrop}>Remove …</Button>}
        </>
      }
    >
      <Title>{fresh ? "A new field" : field.title}</Title>
      <EntryField entry={entry} name="title" label="Name" hint="as it stands in reports">
        {(control) => <Input {...control} placeholder="Author" />}
      </EntryField>
      <EntryField entry={entry} name="key" label="Key" hint="as it is sent, and as it stands in addresses">
        {(control) => <Input {...control} readOnly={!fresh} placeholder="author" />}
      </EntryField>
      <EntryField
        entry={entry}
        name="of"
        label="Of"
        hint={
          form.of === "hit"
            ? "each hit has its own value, such as the author of a page"
            : "the last value of the visit stands for all of it, such as a plan"
        }
      >
        {(control) => (
          <Select
            {...control}
            options={[
              { value: "hit", label: "each hit" },
              { value: "visit", label: "the whole visit" },
            ]}
          />
        )}
      </EntryField>
      <EntryField entry={entry} name="kind" label="Where the value comes from">
        {(control) => (
          <Select
            {...control}
            onChange={(to) => {
              control.onChange(to);
              entry.form.setValue("by", "");
            }}
            options={[
              { value: "sent", label: "the site sends it" },
              { value: "query", label: "a key of the address’ query" },
              { value: "page", label: "a part of the page’s path" },
              { value: "property", label: "a property of events" },
            ]}
          />
        )}
      </EntryField>
      {form.kind !== "sent" && (
        <EntryField
          entry={entry}
          name="by"
          of="read"
          label={form.kind === "page" ? "Regular expression" : "Its key"}
          hint={form.kind === "page" ? "round brackets around the part, as in ^/recipes/([^/]+)" : undefined}
        >
          {(control) => <Input {...control} />}
        </EntryField>
      )}
      {form.kind === "sent" && KEY.test(form.key) && (
        <>
          <p className="text-ink-2">In the head of the page, or by a call when the page knows it later:</p>
          <Code text={fieldCode(form.key)} />
        </>
      )}
    </EntryForm>
  );
}
