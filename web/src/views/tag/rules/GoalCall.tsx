import { useState } from "react";

import { ask, client, type StoredGoal } from "@/api/client";
import { EntryField } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Field, Input } from "@/ui/Field";
import { Select } from "@/ui/Select";
import { notify } from "@/ui/Toast";

/** Goals that listen for a call: those that count an event, by its name. */
export const callsOf = (goals: readonly StoredGoal[]): { call: string; name: string }[] =>
  goals.flatMap(({ name, goal: { match } }) => (match.name_test === "is" ? match.names.map((call) => ({ call, name })) : []));

/** Which goal is called: one that listens for a call, or a new one that does. */
export function GoalCall({ name, set }: { name: string; set: (name: string) => void }) {
  const { goals } = useSite();
  const called = callsOf(goals);
  const [isMaking, setMaking] = useState(called.length === 0);
  const known = called.some(({ call }) => call === name);
  const options = [
    ...(name === "" ? [{ value: "", label: "choose a goal" }] : known ? [] : [{ value: name, label: `${name}, which no goal counts` }]),
    ...called.map(({ call, name: goal }) => ({ value: call, label: call === goal ? goal : `${goal}, by ${call}` })),
  ];
  return (
    <>
      {called.length > 0 && (
        <Field label="The goal" hint="goals that count pages or orders listen for no call">
          {(control) => <Select {...control} value={name} onChange={set} options={options} />}
        </Field>
      )}
      {isMaking ? (
        <NewGoal
          onMade={(made) => {
            set(made);
            setMaking(false);
          }}
        />
      ) : (
        <Button kind="link" onClick={() => setMaking(true)}>
          Make a goal that listens for a call …
        </Button>
      )}
    </>
  );
}

/** A goal made in the midst of another form, which it neither sends nor leaves. */
function NewGoal({ onMade }: { onMade: (name: string) => void }) {
  const { site } = useSite();
  const entry = useEntry<{ name: string }, StoredGoal>({
    touches: "everything",
    values: { name: "" },
    send: ({ name }) => {
      const match = {
        kind: "event" as const,
        names: [name.trim()],
        name_test: "is" as const,
        page: null,
        props: [],
        fields: [],
        value: null,
      };
      const body = { name: name.trim(), goal: { match, counts: "every time" as const, value: { kind: "hit" as const } } };
      return ask(client.POST("/api/v1/sites/{site}/goals", { params: { path: { site: site.key } }, body }));
    },
    after: ({ name }) => {
      notify(`The goal ${name} counts each call of its name.`);
      onMade(name);
    },
  });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-2 has-[[role=alert]]:items-center">
      <EntryField entry={entry} name="name" of={["name", "goal"]} label="Name of a goal that is called">
        {(control) => (
          <Input
            {...control}
            maxLength={100}
            onKeyDown={(event) => {
              if (event.key !== "Enter") return;
              event.preventDefault();
              entry.submit();
            }}
          />
        )}
      </EntryField>
      <Button disabled={entry.isSending} onClick={entry.submit}>
        Make the goal
      </Button>
    </div>
  );
}
