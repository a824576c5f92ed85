import { Cross } from "@/ui/icons";
import { PatternHint } from "@/views/shared/PatternHint";
import { Button } from "@/ui/Button";
import { Combobox } from "@/ui/Combobox";
import { FieldError, Input } from "@/ui/Field";
import { Select } from "@/ui/Select";
import { NUMBER_TESTS, type Written } from "@/views/shared/writtenConditions";

const TEXT_TESTS = ["is", "is not", "starts with", "contains", "regular expression"];
const MAX_CONDITIONS = 10;

interface ConditionsProps {
  /** What is asked about: a property, a site field. */
  what: string;
  names: string[];
  numbers?: boolean;
  value: Written[];
  error: string | undefined;
  set: (value: Written[]) => void;
}

/** Conditions that must all hold: a name, a test, a value. */
export function Conditions({ what, names, numbers = false, value, error, set }: ConditionsProps) {
  const change = (place: number, to: Partial<Written>) => set(value.map((one, i) => (i === place ? { ...one, ...to } : one)));
  return (
    <div className="grid justify-items-start gap-1.5" role="group" aria-label={`Conditions on a ${what}`}>
      {value.map((one, place) => (
        <div key={place} className="grid w-full grid-cols-[minmax(0,1fr)_auto_minmax(0,1fr)_28px] gap-1.5">
          <Combobox aria-label={`Name of the ${what}`} suggestions={names} value={one.name} onChange={(name) => change(place, { name })} />
          <Select
            aria-label="Test"
            value={one.test}
            onChange={(to) => change(place, { test: to })}
            options={[...TEXT_TESTS, ...(numbers ? NUMBER_TESTS : [])]}
          />
          <Input aria-label="Value" value={one.value} onChange={(event) => change(place, { value: event.target.value })} />
          <Button kind="icon" aria-label="Remove the condition" onClick={() => set(value.filter((_, i) => i !== place))}>
            <Cross />
          </Button>
        </div>
      ))}
      {value.some((one) => one.test === "regular expression") && <PatternHint />}
      {error && <FieldError>{error}</FieldError>}
      {value.length < MAX_CONDITIONS && (
        <Button kind="link" onClick={() => set([...value, { name: names[0] ?? "", test: "is", value: "" }])}>
          And only if a {what} …
        </Button>
      )}
    </div>
  );
}
