import { useQuery } from "@tanstack/react-query";

import { ask, client, whatIsWrong, type StoredGoal } from "@/api/client";
import { eventsQuery, previewQuery, tableQuery } from "@/api/queries";
import { EntryField, EntryForm, EntryGroup } from "@/forms/EntryForm";
import { useLeave } from "@/forms/leaving";
import { useEntry, useHeld } from "@/forms/useEntry";
import { Input } from "@/ui/Field";
import { PatternHint } from "@/views/shared/PatternHint";
import { Tallied } from "@/views/shared/Tallied";
import { completeDays, lastDays } from "@/state/days";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Title } from "@/ui/text";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { Button } from "@/ui/Button";
import { Told } from "@/ui/layout";
import { Combobox } from "@/ui/Combobox";
import { Select } from "@/ui/Select";
import { Conditions } from "@/views/shared/Conditions";
import { asForm, asGoal, pathOf, type GoalFormValues } from "@/views/tag/goalFormValues";
import { amount, plural } from "@/words/format";

interface GoalFormProps {
  stored: StoredGoal | null;
  onDone: () => void;
  onDrop: () => void;
}

/** Makes or changes a goal, and says meanwhile what it would have counted. */
export function GoalForm({ stored, onDone, onDrop }: GoalFormProps) {
  const { site } = useSite();
  const leave = useLeave();
  const canEdit = can(site, "edit");
  const entry = useEntry<GoalFormValues & { name: string }, StoredGoal>({
    touches: "everything",
    values: { name: stored?.name ?? "", ...asForm(stored?.goal ?? null) },
    send: ({ name, ...form }) => {
      const body = { name, goal: asGoal(form) };
      const path = { site: site.key };
      return stored
        ? ask(client.PUT("/api/v1/sites/{site}/goals/{goal}", { params: { path: { ...path, goal: stored.id } }, body }))
        : ask(client.POST("/api/v1/sites/{site}/goals", { params: { path }, body }));
    },
    after: onDone,
  });
  const form = useHeld(entry);
  const events = useQuery(eventsQuery(site.key, { period: completeDays(site.today, 28) }, { live: false }));
  const views = {
    period: lastDays(site.today, 90),
    versus: "none" as const,
    goal: null,
    segment: null,
    dimensions: ["page"],
    measures: ["views"],
  };
  const pages = useQuery({ ...tableQuery(site.key, { ...views, limit: 500 }, { live: false }), enabled: form.kind === "page" });
  const seen = (pages.data?.rows ?? []).map(({ keys, values }) => ({ value: keys[0] ?? "", count: plural(values["views"] ?? 0, "view") }));
  const chosen = events.data?.find((one) => one.name === form.event);
  return (
    <EntryForm
      entry={entry}
      label={stored ? `The goal ${stored.name}` : "A new goal"}
      canEdit={canEdit}
      foot={
        <>
          {canEdit && (
            <Button type="submit" kind="primary" disabled={entry.isSending}>
              {stored ? "Save" : "Add the goal"}
            </Button>
          )}
          <Button onClick={() => leave(onDone)}>Close</Button>
          {stored && canEdit && <Button onClick={onDrop}>Archive …</Button>}
        </>
      }
    >
      <Title>{stored ? stored.name : "A new goal"}</Title>
      <EntryField entry={entry} name="name" label="Name" hint="as it stands behind Steer by">
        {(control) => <Input {...control} />}
      </EntryField>
      <EntryField entry={entry} name="kind" label="What counts">
        {(control) => (
          <Select
            {...control}
            options={[
              { value: "page", label: "A page is shown" },
              { value: "event", label: "An event" },
              { value: "order", label: "An order" },
            ]}
          />
        )}
      </EntryField>
      {form.kind === "page" && (
        <div className={PAIR}>
          <EntryField entry={entry} name="test" label="Its path">
            {(control) => <Select {...control} options={["is", "starts with", "contains", "regular expression"]} />}
          </EntryField>
          <EntryField entry={entry} name="pattern" of="goal.match.page" label="this">
            {(control) => (
              <Combobox {...control} placeholder="/thanks" suggestions={seen} onChange={(to) => control.onChange(pathOf(to))} />
            )}
          </EntryField>
        </div>
      )}
      {form.kind === "page" && form.test === "regular expression" && <PatternHint />}
      {form.kind === "event" && (
        <>
          <EntryField
            entry={entry}
            name="event"
            of={["goal.match.names", "goal.match"]}
            label="The event"
            hint="as it is sent, or as it is called in reports"
          >
            {(control) => <Combobox {...control} suggestions={(events.data ?? []).map((one) => one.name)} />}
          </EntryField>
          <EntryGroup entry={entry} name="props" of="goal.match.props">
            {({ value, onChange, error }) => (
              <Conditions
                what="property"
                names={chosen?.props.map((one) => one.key) ?? []}
                numbers
                value={value}
                error={error}
                set={onChange}
              />
            )}
          </EntryGroup>
        </>
      )}
      {form.kind === "order" && (
        <div className={PAIR}>
          <EntryField entry={entry} name="totalTest" label="Its total">
            {(control) => (
              <Select
                {...control}
                options={[
                  { value: "", label: "any" },
                  { value: "≥", label: "at least" },
                  { value: ">", label: "more than" },
                  { value: "≤", label: "at most" },
                  { value: "<", label: "less than" },
                ]}
              />
            )}
          </EntryField>
          {form.totalTest && (
            <EntryField entry={entry} name="total" of="goal.match.value" label={`How much, in ${site.currency}`}>
              {(control) => <Input {...control} inputMode="decimal" />}
            </EntryField>
          )}
        </div>
      )}
      {(site.rules.fields.length > 0 || form.where.length > 0) && (
        <EntryGroup entry={entry} name="where" of="goal.match.fields">
          {({ value, onChange, error }) => (
            <Conditions what="site field" names={site.rules.fields.map((one) => one.key)} value={value} error={error} set={onChange} />
          )}
        </EntryGroup>
      )}
      <div className={PAIR}>
        <EntryField entry={entry} name="counts" label="How often">
          {(control) => <Select {...control} options={["once a visit", "every time"]} />}
        </EntryField>
        <EntryField entry={entry} name="worth" label="Worth">
          {(control) => (
            <Select
              {...control}
              options={[
                { value: "none", label: "nothing" },
                { value: "fixed", label: "the same each time" },
                { value: "hit", label: "the event’s own value" },
                { value: "order", label: "the order’s total" },
              ]}
            />
          )}
        </EntryField>
      </div>
      {form.worth === "fixed" && (
        <EntryField entry={entry} name="amount" of="goal.value" label={`How much, in ${site.currency}`}>
          {(control) => <Input {...control} inputMode="decimal" />}
        </EntryField>
      )}
      <Preview form={form} onUse={(page) => entry.form.setValue("pattern", page, { shouldDirty: true })} />
    </EntryForm>
  );
}

const PAIR = "grid grid-cols-2 items-start gap-x-3 gap-y-2";

/** What the goal would have counted, as it stands in the form. */
function Preview({ form, onUse }: { form: GoalFormValues; onUse: (page: string) => void }) {
  const { site } = useSite();
  const goal = asGoal(useDebouncedValue(form, 350));
  const whole = form.kind === "order" || (form.kind === "page" ? form.pattern !== "" : form.event !== "");
  const preview = useQuery({ ...previewQuery(site.key, goal), enabled: whole });
  const found = preview.data;
  if (!whole) return <p className="text-ink-2">What it would have counted stands here as soon as there is something to count.</p>;
  if (preview.isError) return <p className="text-ink-2">As it stands it cannot be counted: {whatIsWrong(preview.error)}</p>;
  if (!found) return <p aria-busy="true">Counting …</p>;
  return (
    <Told role="status" aria-busy={preview.isFetching}>
      <p>
        In the last 30 days and today it would have counted <b>{plural(found.conversions, "time")}</b>
        {found.conversions > 0 && ` in ${plural(found.visits, "visit")}`}
        {found.value !== 0 && `, worth ${amount(found.value, site.currency)}`}.
      </p>
      {found.near && (
        <p>
          Nobody saw that page. Did you mean{" "}
          <Button kind="link" onClick={() => onUse(found.near ?? "")}>
            {found.near}
          </Button>
          ?
        </p>
      )}
      {found.pages.length > 0 && (
        <p>
          <span className="text-ink-2">On </span>
          <Tallied values={found.pages} />
          {found.more_pages > 0 && <span className="text-ink-2">and {plural(found.more_pages, "more page")}</span>}
        </p>
      )}
    </Told>
  );
}
