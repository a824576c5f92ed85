import type { ReactNode } from "react";

import { Field, Input, Textarea } from "@/ui/Field";
import { Cross } from "@/ui/icons";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Combobox } from "@/ui/Combobox";
import { optionsOf, Select } from "@/ui/Select";
import { callsOf, GoalCall } from "@/views/tag/rules/GoalCall";
import { RulePart } from "@/views/tag/rules/RulePart";
import { ValueField } from "@/views/tag/rules/ValueField";
import { PLACES, unreadable, type Action, type Value } from "@/words/rules";

const KINDS: [Action["kind"], string][] = [
  ["event", "record an event"],
  ["goal", "count a goal"],
  ["field", "set a site field"],
  ["html", "insert HTML"],
];
const FIXED: Value = { kind: "fixed", text: "" };

function fresh(kind: Action["kind"]): Action {
  switch (kind) {
    case "event":
      return { kind, name: "", props: [], value: null };
    case "goal":
      return { kind, name: "", value: null };
    case "field":
      return { kind, key: "", value: FIXED };
    default:
      return { kind, html: "", place: "at the end", selector: "main" };
  }
}

interface ThenFieldsProps {
  value: Action[];
  error: (place: number) => string | undefined;
  set: (value: Action[]) => void;
}

/** What is done, in this order. */
export function ThenFields({ value, error, set }: ThenFieldsProps) {
  const change = (place: number, to: Action) => set(value.map((one, i) => (i === place ? to : one)));
  return (
    <div className="grid justify-items-start gap-1.5" role="group" aria-label="Then">
      {value.map((one, place) => (
        <RulePart
          key={place}
          word={place ? "and" : "then"}
          label="What is done"
          kinds={KINDS}
          kind={one.kind}
          onKind={(kind) => change(place, fresh(kind))}
          away={value.length > 1 ? "Remove this" : undefined}
          onAway={() => set(value.filter((_, i) => i !== place))}
          error={error(place)}
        >
          <Details one={one} set={(to) => change(place, to)} />
        </RulePart>
      ))}
      {value.length < 20 && (
        <Button kind="link" onClick={() => set([...value, fresh("event")])}>
          And do something else …
        </Button>
      )}
    </div>
  );
}

function Details({ one, set }: { one: Action; set: (to: Action) => void }): ReactNode {
  const { goals } = useSite();
  switch (one.kind) {
    case "field":
      return <FieldDetails one={one} set={set} />;
    case "html":
      return <HtmlDetails one={one} set={set} />;
    default: {
      const called = callsOf(goals);
      const goal = called.find(({ call }) => call === one.name);
      return (
        <>
          {one.kind === "goal" ? (
            <GoalCall name={one.name} set={(name) => set({ ...one, name })} />
          ) : (
            <Field label="Name of the event" hint={goal ? `the goal ${goal.name} counts it` : "as it shall stand in reports"}>
              {(control) => (
                <Combobox
                  {...control}
                  value={one.name}
                  suggestions={called.map((each) => ({ value: each.call, count: each.name }))}
                  onChange={(name) => set({ ...one, name })}
                />
              )}
            </Field>
          )}
          {one.kind === "event" &&
            one.props.map((prop, place) => {
              const to = (change: Partial<typeof prop>) =>
                set({ ...one, props: one.props.map((other, i) => (i === place ? { ...prop, ...change } : other)) });
              return (
                <div key={place} className="grid grid-cols-[minmax(0,1fr)_28px] gap-1.5 [&>[role=group]]:col-span-full">
                  <Input
                    aria-label="Name of the property"
                    value={prop.key}
                    placeholder="property"
                    onChange={(event) => to({ key: event.target.value })}
                  />
                  <Button
                    kind="icon"
                    aria-label="Remove the property"
                    onClick={() => set({ ...one, props: one.props.filter((_, i) => i !== place) })}
                  >
                    <Cross />
                  </Button>
                  <ValueField label="Property" value={prop.value} set={(value) => to({ value })} />
                </div>
              );
            })}
          {one.value && <ValueField label="Worth" value={one.value} set={(value) => set({ ...one, value })} />}
          <p className="flex items-center gap-2">
            {one.kind === "event" && one.props.length < 32 && (
              <Button kind="link" onClick={() => set({ ...one, props: [...one.props, { key: "", value: FIXED }] })}>
                With a property …
              </Button>
            )}
            <Button kind="link" onClick={() => set({ ...one, value: one.value ? null : FIXED })}>
              {one.value ? "Worth nothing" : "With a value …"}
            </Button>
          </p>
        </>
      );
    }
  }
}

function FieldDetails({ one, set }: { one: Extract<Action, { kind: "field" }>; set: (to: Action) => void }) {
  const { site } = useSite();
  const sent = site.rules.fields.filter((field) => field.read.kind === "sent");
  const known = sent.some((field) => field.key === one.key);
  return (
    <>
      <Field
        label="The site field"
        hint={one.key && !known ? "no site field of this key is sent by the site; make it in Site fields" : "its key, as in Site fields"}
      >
        {(control) => (
          <Combobox
            {...control}
            value={one.key}
            suggestions={sent.map((field) => ({ value: field.key, count: field.title }))}
            onChange={(key) => set({ ...one, key })}
          />
        )}
      </Field>
      <ValueField label="Its value" value={one.value} set={(value) => set({ ...one, value })} />
    </>
  );
}

function HtmlDetails({ one, set }: { one: Extract<Action, { kind: "html" }>; set: (to: Action) => void }) {
  const { site } = useSite();
  return (
    <>
      {!site.tagging.inserts_html && (
        <p className="text-label text-rust">
          The site does not allow it. Its owner switches it on in Settings; until then nothing is inserted.
        </p>
      )}
      {!can(site, "own") && <p className="text-label text-rust">Only the site’s owners may insert HTML that is not there yet.</p>}
      <Field label="HTML" hint="texts, pictures, links, buttons; no scripts, frames or forms">
        {(control) => (
          <Textarea
            {...control}
            className="w-full font-mono"
            rows={5}
            spellCheck={false}
            value={one.html}
            onChange={(event) => set({ ...one, html: event.target.value })}
          />
        )}
      </Field>
      <div className="grid grid-cols-2 items-start gap-x-3 gap-y-2">
        <Field label="Where">
          {(control) => <Select {...control} value={one.place} onChange={(to) => set({ ...one, place: to })} options={optionsOf(PLACES)} />}
        </Field>
        <Field
          label="this element"
          error={one.selector && unreadable(one.selector) ? "This is no selector that a browser can read." : undefined}
        >
          {(control) => (
            <Input
              {...control}
              className="w-full font-mono"
              value={one.selector}
              spellCheck={false}
              onChange={(event) => set({ ...one, selector: event.target.value })}
            />
          )}
        </Field>
      </div>
    </>
  );
}
