import { useId } from "react";

import { Cross } from "@/pieces/Marks";
import { PatternHint } from "@/pieces/PatternHint";
import { NUMBER_TESTS } from "@/views/tag/goalFormValues";

export interface Condition {
  name: string;
  test: string;
  value: string;
}

const TEXT_TESTS = ["is", "is not", "starts with", "contains", "regular expression"];
const MAX_CONDITIONS = 10;

interface ConditionsProps {
  /** What is asked about: a property, a site field. */
  what: string;
  names: string[];
  numbers?: boolean;
  value: Condition[];
  error: string | undefined;
  set: (value: Condition[]) => void;
}

/** Conditions that must all hold: a name, a test, a value. */
export function Conditions({ what, names, numbers = false, value, error, set }: ConditionsProps) {
  const list = useId();
  const change = (place: number, to: Partial<Condition>) => set(value.map((one, i) => (i === place ? { ...one, ...to } : one)));
  return (
    <div className="conditions" role="group" aria-label={`Conditions on a ${what}`}>
      {value.map((one, place) => (
        <div key={place} className="condition">
          <input
            aria-label={`Name of the ${what}`}
            list={list}
            value={one.name}
            onChange={(event) => change(place, { name: event.target.value })}
          />
          <select aria-label="Test" value={one.test} onChange={(event) => change(place, { test: event.target.value })}>
            {[...TEXT_TESTS, ...(numbers ? NUMBER_TESTS : [])].map((test) => (
              <option key={test}>{test}</option>
            ))}
          </select>
          <input aria-label="Value" value={one.value} onChange={(event) => change(place, { value: event.target.value })} />
          <button
            type="button"
            className="off"
            aria-label="Take the condition away"
            onClick={() => set(value.filter((_, i) => i !== place))}
          >
            <Cross />
          </button>
        </div>
      ))}
      {value.some((one) => one.test === "regular expression") && <PatternHint />}
      {error && (
        <p className="wrong" role="alert">
          {error}
        </p>
      )}
      {value.length < MAX_CONDITIONS && (
        <button type="button" className="link" onClick={() => set([...value, { name: names[0] ?? "", test: "is", value: "" }])}>
          And only if a {what} …
        </button>
      )}
      <datalist id={list}>
        {names.map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
    </div>
  );
}
