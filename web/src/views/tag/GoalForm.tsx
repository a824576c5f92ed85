import { useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { ask, client, type Goal, type StoredGoal } from "@/api/client";
import { eventsQuery, previewQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field } from "@/pieces/Field";
import { PatternHint } from "@/pieces/PatternHint";
import { Tallied } from "@/pieces/Tallied";
import { completeDays, useView } from "@/state/view";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { Conditions, type Condition } from "@/views/tag/Conditions";
import { asForm, asGoal, type GoalFormValues } from "@/views/tag/goalFormValues";
import { amount, plural } from "@/words/format";

interface GoalFormProps {
  stored: StoredGoal | null;
  onDone: () => void;
  onDrop: () => void;
}

const SHOWN = ["name", "goal.match", "goal.value"];

/** Makes or changes a goal, and says meanwhile what it would have counted. */
export function GoalForm({ stored, onDone, onDrop }: GoalFormProps) {
  const { site } = useView();
  const canEdit = site.role !== "viewer";
  const [name, setName] = useState(stored?.name ?? "");
  const [form, setForm] = useState(() => asForm(stored?.goal ?? null));
  const save = useSave((body: { name: string; goal: Goal }) => {
    const path = { site: site.key };
    return stored
      ? ask(client.PUT("/api/v1/sites/{site}/goals/{goal}", { params: { path: { ...path, goal: stored.id } }, body }))
      : ask(client.POST("/api/v1/sites/{site}/goals", { params: { path }, body }));
  }, onDone);
  const { of, all } = fieldErrors(save.error, SHOWN);
  const events = useQuery(eventsQuery(site.key, { period: completeDays(site.today, 28) }, { live: false }));
  const set = (change: Partial<GoalFormValues>) => {
    save.reset();
    setForm({ ...form, ...change });
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate({ name, goal: asGoal(form) });
  };
  const chosen = events.data?.find((one) => one.name === form.event);
  return (
    <form className="form" onSubmit={submit} noValidate aria-label={stored ? `The goal ${stored.name}` : "A new goal"}>
      <h2 className="title">{stored ? stored.name : "A new goal"}</h2>
      <fieldset disabled={!canEdit}>
        <Field label="Name" hint="as it stands behind Steer by" error={of("name")}>
          {(control) => (
            <input
              {...control}
              value={name}
              onChange={(event) => {
                save.reset();
                setName(event.target.value);
              }}
            />
          )}
        </Field>
        <Field label="What counts">
          {(control) => (
            <select {...control} value={form.kind} onChange={(event) => set({ kind: event.target.value as GoalFormValues["kind"] })}>
              <option value="page">A page is shown</option>
              <option value="event">An event</option>
              <option value="order">An order</option>
            </select>
          )}
        </Field>
        {form.kind === "page" && (
          <div className="pair">
            <Field label="Its path">
              {(control) => (
                <select {...control} value={form.test} onChange={(event) => set({ test: event.target.value as GoalFormValues["test"] })}>
                  {["is", "starts with", "contains", "regular expression"].map((test) => (
                    <option key={test}>{test}</option>
                  ))}
                </select>
              )}
            </Field>
            <Field label="this" error={of("goal.match.page")}>
              {(control) => (
                <input {...control} value={form.pattern} placeholder="/thanks" onChange={(event) => set({ pattern: event.target.value })} />
              )}
            </Field>
          </div>
        )}
        {form.kind === "page" && form.test === "regular expression" && <PatternHint />}
        {form.kind === "event" && (
          <>
            <Field label="The event" hint="as it is sent, or as it is called in reports" error={of("goal.match.names") ?? of("goal.match")}>
              {(control) => (
                <input {...control} list="goal-events" value={form.event} onChange={(event) => set({ event: event.target.value })} />
              )}
            </Field>
            <datalist id="goal-events">
              {events.data?.map((one) => (
                <option key={one.name} value={one.name} />
              ))}
            </datalist>
            <Conditions
              what="property"
              names={chosen?.props.map((one) => one.key) ?? []}
              numbers
              value={form.props}
              error={of("goal.match.props")}
              set={(props: Condition[]) => set({ props })}
            />
          </>
        )}
        {(site.rules.fields.length > 0 || form.where.length > 0) && (
          <Conditions
            what="site field"
            names={site.rules.fields.map((one) => one.key)}
            value={form.where}
            error={of("goal.match.fields")}
            set={(where: Condition[]) => set({ where })}
          />
        )}
        <div className="pair">
          <Field label="How often">
            {(control) => (
              <select
                {...control}
                value={form.counts}
                onChange={(event) => set({ counts: event.target.value as GoalFormValues["counts"] })}
              >
                <option>once a visit</option>
                <option>every time</option>
              </select>
            )}
          </Field>
          <Field label="Worth">
            {(control) => (
              <select {...control} value={form.worth} onChange={(event) => set({ worth: event.target.value as GoalFormValues["worth"] })}>
                <option value="none">nothing by itself</option>
                <option value="fixed">the same each time</option>
                <option value="hit">the event’s own value</option>
                <option value="order">the order’s total</option>
              </select>
            )}
          </Field>
        </div>
        {form.worth === "fixed" && (
          <Field label={`How much, in ${site.currency}`} error={of("goal.value")}>
            {(control) => (
              <input {...control} inputMode="decimal" value={form.amount} onChange={(event) => set({ amount: event.target.value })} />
            )}
          </Field>
        )}
      </fieldset>
      <Preview form={form} />
      <div className="end">
        {all && (
          <p className="wrong" role="alert">
            {all}
          </p>
        )}
        {canEdit && (
          <button type="submit" className="do" disabled={save.isPending}>
            {stored ? "Save" : "Make it"}
          </button>
        )}
        <button type="button" className="do plain" onClick={onDone}>
          Close
        </button>
        {stored && canEdit && (
          <button type="button" className="do plain" onClick={onDrop}>
            Put it away …
          </button>
        )}
      </div>
    </form>
  );
}

/** What the goal would have counted, as it stands in the form. */
function Preview({ form }: { form: GoalFormValues }) {
  const { site } = useView();
  const goal = asGoal(useDebouncedValue(form, 350));
  const whole = form.kind === "order" || (form.kind === "page" ? form.pattern !== "" : form.event !== "");
  const preview = useQuery({ ...previewQuery(site.key, goal), enabled: whole });
  const found = preview.data;
  if (!whole) return <p className="quiet">What it would have counted stands here as soon as there is something to count.</p>;
  if (preview.isError) return <p className="quiet">As it stands it cannot be counted: {preview.error.message}</p>;
  if (!found) return <p aria-busy="true">Counting …</p>;
  return (
    <div className="arrived" role="status" aria-busy={preview.isFetching}>
      <p>
        In the last 30 days and today it would have counted <b>{plural(found.conversions, "time")}</b>
        {found.conversions > 0 && ` in ${plural(found.visits, "visit")}`}
        {found.value !== 0 && `, worth ${amount(found.value, site.currency)}`}.
      </p>
      {found.pages.length > 0 && (
        <p>
          <span className="quiet">On </span>
          <Tallied values={found.pages} />
          {found.more_pages > 0 && <span className="quiet">and {plural(found.more_pages, "more page")}</span>}
        </p>
      )}
    </div>
  );
}
