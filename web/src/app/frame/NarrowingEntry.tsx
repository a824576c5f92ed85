import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useWatch } from "react-hook-form";

import { ApiError } from "@/api/client";
import { segmentOf, tableByRow } from "@/api/figures";
import { tableQuery } from "@/api/queries";
import { useValues } from "@/views/shared/useValues";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Combobox } from "@/ui/Combobox";
import { Select } from "@/ui/Select";
import { plural, valueWords } from "@/words/format";

const KEEP = [
  { value: "only", label: "Only these" },
  { value: "without", label: "Without these" },
];

const NONE_SAID = "No visit in these days has this value.";
const NONE = new ApiError({
  type: "about:blank",
  title: "No such value",
  status: 422,
  detail: NONE_SAID,
  errors: [{ field: "value", text: NONE_SAID, index: null, use: null }],
});

/** One more condition of the segment: a dimension and one of its values. */
export function NarrowingEntry({ done }: { done: () => void }) {
  const { registry, site } = useSite();
  const { period, live } = useView();
  const queries = useQueryClient();
  const { narrow } = useSteering();
  const around = useRef<HTMLDivElement>(null);
  // What opened it waited for a field to give the focus to.
  useEffect(() => around.current?.querySelector<HTMLElement>("[role=combobox]")?.focus(), []);
  const meant = (dimension: string, value: string) =>
    known.find((one) => one.value === value) ??
    known.find((one) => valueWords(dimension, one.value).toLowerCase() === value.trim().toLowerCase());
  const entry = useEntry({
    values: { keep: "only", dimension: "channel", value: "" },
    check: ({ dimension, value }) => (value.trim() || meant(dimension, value) ? {} : { value: "Give a value." }),
    send: async ({ keep, dimension, value }) => {
      const chosen = meant(dimension, value)?.value ?? value.trim();
      // Not all of very many values are here, and those that are may be on their way.
      const segment = segmentOf([{ dimension, values: [chosen], without: false }]);
      const asked = { period, versus: "none" as const, goal: null, segment, dimensions: [], measures: ["visits"] };
      const { total } = tableByRow(await queries.fetchQuery(tableQuery(site.key, asked, { live })));
      if (!total.values["visits"]) throw NONE;
      narrow(dimension, chosen, keep === "without" ? "without" : "add");
    },
    after: done,
    touches: "nothing",
  });
  const [dimension, typed] = useWatch({ control: entry.form.control, name: ["dimension", "value"] });
  const { values: known } = useValues(dimension, { query: typed });
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
