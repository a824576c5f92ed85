import { Part } from "@/ui/layout";
import { useState } from "react";

import type { SiteEvent } from "@/api/client";
import { Code } from "@/ui/Code";
import { Field, Input } from "@/ui/Field";
import { Select } from "@/ui/Select";
import { Check } from "@/views/tag/Check";
import { NEEDS, type Need } from "@/words/code";

const MAX_LENGTH = 100;

/** Code for the usual needs, with the event's name filled in, and a check that it arrives. */
export function Snippets({ events }: { events: SiteEvent[] }) {
  const [name, setName] = useState("brochure asked for");
  const [need, setNeed] = useState<Need>("click");
  const chosen = NEEDS[need];
  const given = name.trim();
  const known = events.find((one) => one.name === given || one.sent_as.includes(given));
  const error =
    given.length === 0 ? "Give the event a name." : given.length > MAX_LENGTH ? `A name has at most ${MAX_LENGTH} characters.` : null;
  return (
    <Part title="Name what happens" aria-label="Name what happens">
      <div className="grid gap-2">
        <Field label="What is it?">
          {(control) => (
            <Select
              {...control}
              value={need}
              onChange={(to) => setNeed(to)}
              options={(Object.keys(NEEDS) as Need[]).map((key) => ({ value: key, label: NEEDS[key].title }))}
            />
          )}
        </Field>
        {need !== "order" && (
          <Field
            label="Name of the event"
            error={error}
            hint={known ? `${known.name} has come already; this will be counted with it` : "as it shall stand in reports"}
          >
            {(control) => <Input {...control} value={name} onChange={(event) => setName(event.target.value)} />}
          </Field>
        )}
      </div>
      {!error && <Code text={chosen.code(given)} />}
      <p className="text-ink-2">{chosen.meaning}</p>
      {!error && <Check wanted={need === "order" ? { kind: "order" } : { kind: "event", name: given }} act={chosen.act} />}
    </Part>
  );
}
