import { useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { ask, client, type Goal, type StoredGoal } from "@/api/client";
import { eventsQuery, previewQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field, Input } from "@/ui/Field";
import { PatternHint } from "@/pieces/PatternHint";
import { Tallied } from "@/pieces/Tallied";
import { completeDays, useView } from "@/state/view";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { Conditions } from "@/views/tag/Conditions";
import { asForm, asGoal, type Condition, type GoalFormValues } from "@/views/tag/goalFormValues";
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
            <Input
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
            <Select
              {...control}
              value={form.kind}
              onChange={(to) => set({ kind: to })}
              options={[
                { value: "page", label: "A page is shown" },
                { value: "event", label: "An event" },
                { value: "order", label: "An order" },
              ]}
            />
          )}
        </Field>
        {form.kind === "page" && (
          <div className="pair">
            <Field label="Its path">
              {(control) => (
                <Select
                  {...control}
                  value={form.test}
                  onChange={(to) => set({ test: to })}
                  options={["is", "starts with", "contains", "regular expression"]}
                />
              )}
            </Field>
            <Field label="this" error={of("goal.match.page")}>
              {(control) => (
                <Input {...control} value={form.pattern} placeholder="/thanks" onChange={(event) => set({ pattern: event.target.value })} />
              )}
            </Field>
          </div>
        )}
        {form.kind === "page" && form.test === "regular expression" && <PatternHint />}
        {form.kind === "event" && (
          <>
            <Field label="The event" hint="as it is sent, or as it is called in reports" error={of("goal.match.names") ?? of("goal.match")}>
              {(control) => (
                <Input {...control} list="goal-events" value={form.event} onChange={(event) => set({ event: event.target.value })} />
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
              <Select {...control} value={form.counts} onChange={(to) => set({ counts: to })} options={["once a visit", "every time"]} />
            )}
          </Field>
          <Field label="Worth">
            {(control) => (
              <Select
                {...control}
                value={form.worth}
                onChange={(to) => set({ worth: to })}
                options={[
                  { value: "none", label: "nothing by itself" },
                  { value: "fixed", label: "the same each time" },
                  { value: "hit", label: "the event’s own value" },
                  { value: "order", label: "the order’s total" },
                ]}
              />
            )}
          </Field>
        </div>
        {form.worth === "fixed" && (
          <Field label={`How much, in ${site.currency}`} error={of("goal.value")}>
            {(control) => (
              <Input {...control} inputMode="decimal" value={form.amount} onChange={(event) => set({ amount: event.target.value })} />
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
          <Button type="submit" kind="primary" disabled={save.isPending}>
            {stored ? "Save" : "Make it"}
          </Button>
        )}
        <Button onClick={onDone}>Close</Button>
        {stored && canEdit && <Button onClick={onDrop}>Archive …</Button>}
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
