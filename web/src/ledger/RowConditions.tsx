import type { Heads } from "@/ledger/columns";
import { useWatch } from "react-hook-form";

import type { Measure } from "@/api/client";
import { useEntry } from "@/forms/useEntry";
import type { RowCondition } from "@/ledger/rowSearch";
import { Button } from "@/ui/Button";
import { Chip } from "@/ui/Chip";
import { Input } from "@/ui/Field";
import { Select } from "@/ui/Select";

const TESTS = ["≥", "≤", ">", "<", "=", "≠"] as const;

interface RowConditionsProps {
  /** The measures that are shown. */
  measures: readonly Measure[];
  heads: Heads;
  /** What the rows are, in the plural: `channels`. */
  what: string;
  query: string;
  onQuery: (query: string) => void;
  conditions: RowCondition[];
  onConditions: (conditions: RowCondition[]) => void;
  error: string | null;
}

const numberOf = (text: string): number => Number(text.trim().replace(",", "."));

/** As it is typed, in the measure's own unit: percents as percents, times in seconds. */
const scaled = (value: number, measure: Measure | undefined): number => (measure?.unit === "percent" ? value / 100 : value);

/** Which rows are wanted: what their value holds, and how large their figures are. */
export function RowConditions({ measures, heads, what, query, onQuery, conditions, onConditions, error }: RowConditionsProps) {
  const named = (name: string) => measures.find((one) => one.name === name);
  const head = (name: string) => heads[name] ?? named(name)?.title ?? name;
  const entry = useEntry({
    values: { of: measures[0]?.name ?? "", test: "≥" as (typeof TESTS)[number], text: "" },
    check: ({ text }) => (text.trim() && Number.isFinite(numberOf(text)) ? {} : { text: "Give a number to compare with." }),
    send: (condition) => Promise.resolve(condition),
    becomes: (condition) => ({ ...condition, text: "" }),
    after: ({ of, test, text }) => onConditions([...conditions, { of, test, value: scaled(numberOf(text), named(of)) }]),
    touches: "nothing",
  });
  const { control, register, formState } = entry.form;
  const [of, test] = useWatch({ control, name: ["of", "test"] });
  const chosen = named(of) ?? measures[0];
  const bad = formState.errors.text?.message;
  return (
    <form
      className="flex flex-wrap items-center gap-2 py-1.5"
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        entry.submit();
      }}
      aria-label={`Which ${what} are shown`}
    >
      <Input
        className="w-40"
        autoFocus
        aria-label={`Look for ${what}`}
        aria-invalid={error ? true : undefined}
        placeholder="contains …"
        title="Words that the value contains; between two slashes a regular expression"
        value={query}
        onChange={(event) => onQuery(event.target.value)}
      />
      {conditions.length < 8 && chosen && (
        <>
          <span className="text-ink-2">and</span>
          <Select
            className="w-28"
            aria-label="Which figure"
            value={chosen.name}
            onChange={(to) => entry.form.setValue("of", to)}
            options={measures.map((one) => ({ value: one.name, label: head(one.name) }))}
          />
          <Select className="w-14" aria-label="Test" value={test} onChange={(to) => entry.form.setValue("test", to)} options={TESTS} />
          <Input className="w-16" aria-label="Number" aria-invalid={bad ? true : undefined} inputMode="decimal" {...register("text")} />
          {chosen.unit === "percent" && <span className="text-ink-2">%</span>}
          <Button type="submit">Add</Button>
        </>
      )}
      {conditions.map((one, place) => (
        <Chip
          key={place}
          title=""
          away={`Remove: ${head(one.of)} ${one.test} ${one.value}`}
          onAway={() => onConditions(conditions.filter((_, i) => i !== place))}
        >
          {head(one.of)} {one.test} {named(one.of)?.unit === "percent" ? `${Number(one.value) * 100} %` : one.value}
        </Chip>
      ))}
      {bad && (
        <span role="alert" className="text-label text-rust">
          {bad}
        </span>
      )}
      {error && (
        <span role="alert" className="text-label text-rust">
          {error}
        </span>
      )}
    </form>
  );
}
