import { useEffect, useRef } from "react";
import { useWatch } from "react-hook-form";

import { useValues } from "@/app/frame/useValues";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { useSite } from "@/state/site";
import { useSteering } from "@/state/view";
import { Button } from "@/ui/Button";
import { Combobox } from "@/ui/Combobox";
import { Select } from "@/ui/Select";
import { plural, valueWords } from "@/words/format";

const KEEP = [
  { value: "only", label: "Only these" },
  { value: "without", label: "Without these" },
];

/** One more condition of the segment: a dimension and one of its values. */
export function NarrowingEntry({ done }: { done: () => void }) {
  const { registry } = useSite();
  const { narrow } = useSteering();
  const around = useRef<HTMLDivElement>(null);
  // What opened it waited for a field to give the focus to.
  useEffect(() => around.current?.querySelector<HTMLElement>("[role=combobox]")?.focus(), []);
  const meant = (dimension: string, value: string) =>
    known.find((one) => one.value === value) ??
    known.find((one) => valueWords(dimension, one.value).toLowerCase() === value.trim().toLowerCase());
  const entry = useEntry({
    values: { keep: "only", dimension: "channel", value: "" },
    check: ({ dimension, value }) =>
      meant(dimension, value) ? {} : { value: isPending ? "The values are still being read." : "No visit in these days has this value." },
    send: ({ keep, dimension, value }) => {
      narrow(dimension, meant(dimension, value)?.value ?? value, keep === "without" ? "without" : "add");
      return Promise.resolve();
    },
    after: done,
    touches: "nothing",
  });
  const dimension = useWatch({ control: entry.form.control, name: "dimension" });
  const { values: known, isPending } = useValues(dimension);
  return (
    <div ref={around}>
      <EntryForm
        entry={entry}
        label="A condition"
        isKept={false}
        className="px-3.5 py-1"
        foot={
          <Button type="submit" kind="primary">
            Add
          </Button>
        }
      >
        <EntryField entry={entry} name="keep" label="Keep">
          {(control) => <Select {...control} options={KEEP} />}
        </EntryField>
        <EntryField entry={entry} name="dimension" label="Whose">
          {({ onChange, ...control }) => (
            <Select
              {...control}
              onChange={(to) => {
                onChange(to);
                entry.form.setValue("value", "");
              }}
              options={(registry?.dimensions ?? []).map((one) => ({ value: one.name, label: one.title }))}
            />
          )}
        </EntryField>
        <EntryField entry={entry} name="value" label="Is">
          {(control) => (
            <Combobox
              {...control}
              suggestions={known.map((one) => ({ value: valueWords(dimension, one.value), count: plural(one.visits, "visit") }))}
            />
          )}
        </EntryField>
      </EntryForm>
    </div>
  );
}
