import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useId, useState, type FormEvent } from "react";

import { tableQuery } from "@/app/queries";
import { Field, Input } from "@/ui/Field";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { valueWords } from "@/words/format";

/** Add to the segment: a dimension, then one of its values. */
export function AddNarrowing() {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="add" aria-label="Add to the segment" title="Add to the segment (e)" data-key="e">
        <svg width="10" height="10" viewBox="0 0 10 10" aria-hidden="true">
          <path d="M5 0v10M0 5h10" stroke="currentColor" strokeWidth="1.25" />
        </svg>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="menu panel" align="end" sideOffset={6} aria-label="Add to the segment">
          <NarrowingForm done={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function NarrowingForm({ done }: { done: () => void }) {
  const { site, registry, period, narrow, live } = useView();
  const id = useId();
  const [dimension, setDimension] = useState("channel");
  const [value, setValue] = useState("");
  const [without, setWithout] = useState(false);
  const [error, setError] = useState<string | null>(null);
  const asked = {
    period,
    versus: "none" as const,
    goal: null,
    filters: [],
    dimensions: [dimension],
    measures: ["visits"],
    descending: true,
    limit: 200,
  };
  const values = useQuery(tableQuery(site.key, asked, { live }));
  const known = values.data?.dimensions[0] === dimension ? values.data.rows.map((row) => row.keys[0] ?? "") : [];
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const meant =
      known.find((one) => one === value) ?? known.find((one) => valueWords(dimension, one).toLowerCase() === value.trim().toLowerCase());
    if (meant === undefined)
      return setError(values.isPending ? "The values are still being read." : "No visit in these days has this value.");
    narrow(dimension, meant, without);
    done();
  };
  return (
    <form className="form" onSubmit={submit} noValidate>
      <Field label="Keep">
        {(control) => (
          <Select
            {...control}
            value={without ? "without" : "only"}
            onChange={(to) => setWithout(to === "without")}
            options={[
              { value: "only", label: "Only these" },
              { value: "without", label: "Without these" },
            ]}
          />
        )}
      </Field>
      <Field label="Whose">
        {(control) => (
          <Select
            {...control}
            value={dimension}
            onChange={(to) => {
              setDimension(to);
              setValue("");
            }}
            options={(registry?.dimensions ?? []).map((one) => ({ value: one.name, label: one.title }))}
          />
        )}
      </Field>
      <Field label="Is" error={error}>
        {(control) => (
          <Input {...control} list={`${id}-values`} value={value} autoComplete="off" onChange={(event) => setValue(event.target.value)} />
        )}
      </Field>
      <datalist id={`${id}-values`}>
        {known.map((one) => (
          <option key={one} value={valueWords(dimension, one)} />
        ))}
      </datalist>
      <Button type="submit" kind="primary">
        Add
      </Button>
    </form>
  );
}
