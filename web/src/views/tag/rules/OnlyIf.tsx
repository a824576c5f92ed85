import type { ReactNode } from "react";

import { RulePart } from "@/views/tag/rules/RulePart";
import type { Condition } from "@/words/rules";

import { typedCount } from "@/forms/numbers";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Combobox } from "@/ui/Combobox";
import { Input } from "@/ui/Field";
import { Select } from "@/ui/Select";

const KINDS: [Condition["kind"], string][] = [
  ["page", "the page"],
  ["host", "the host"],
  ["query", "a query key"],
  ["referrer", "the referrer"],
  ["field", "a site field"],
  ["device", "the device"],
  ["visitor", "the visitor"],
  ["share", "a share of visitors"],
];
const TESTS = ["is", "is not", "starts with", "contains", "does not contain", "is empty", "is not empty"] as const;
const DEVICES = ["phone", "tablet", "desktop"] as const;

function fresh(kind: Condition["kind"]): Condition {
  switch (kind) {
    case "query":
    case "field":
      return { kind, key: "", test: "is", value: "" };
    case "device":
      return { kind, devices: ["phone"] };
    case "visitor":
      return { kind, visitor: "new" };
    case "share":
      return { kind, percent: 50 };
    default:
      return { kind, test: kind === "page" ? "starts with" : "is", value: "" };
  }
}

interface OnlyIfProps {
  value: Condition[];
  fields: string[];
  error: (place: number) => string | undefined;
  set: (value: Condition[]) => void;
}

/** Conditions that must all hold. */
export function OnlyIf({ value, fields, error, set }: OnlyIfProps) {
  const change = (place: number, to: Condition) => set(value.map((one, i) => (i === place ? to : one)));
  return (
    <div className="grid justify-items-start gap-1.5" role="group" aria-label="And only if">
      {value.map((one, place) => (
        <RulePart
          key={place}
          word="and only if"
          label="What must hold"
          kinds={KINDS}
          kind={one.kind}
          onKind={(kind) => change(place, fresh(kind))}
          away="Remove the condition"
          onAway={() => set(value.filter((_, i) => i !== place))}
          error={error(place)}
        >
          <Details one={one} fields={fields} set={(to) => change(place, to)} />
        </RulePart>
      ))}
      {value.length < 20 && (
        <Button kind="link" onClick={() => set([...value, fresh("page")])}>
          And only if …
        </Button>
      )}
    </div>
  );
}

function Details({ one, fields, set }: { one: Condition; fields: string[]; set: (to: Condition) => void }): ReactNode {
  switch (one.kind) {
    case "device":
      return (
        <div className="flex flex-wrap items-center gap-x-4 gap-y-1" role="group" aria-label="Which devices">
          {DEVICES.map((device) => (
            <Checkbox
              key={device}
              label={device}
              checked={one.devices.includes(device)}
              onChange={(checked) =>
                set({ ...one, devices: DEVICES.filter((other) => (other === device ? checked : one.devices.includes(other))) })
              }
            />
          ))}
        </div>
      );
    case "visitor":
      return (
        <Select
          aria-label="New or returning"
          value={one.visitor}
          onChange={(to) => set({ ...one, visitor: to })}
          options={[
            { value: "new", label: "is here for the first time" },
            { value: "returning", label: "was here before" },
          ]}
        />
      );
    case "share":
      return (
        <label className="flex flex-wrap items-center gap-x-4 gap-y-1">
          <Input
            className="w-16"
            inputMode="numeric"
            aria-label="Percent of visitors"
            value={one.percent}
            onChange={(event) => set({ ...one, percent: typedCount(event.target.value) })}
          />{" "}
          <span className="text-ink-2">% of visitors; who is in stays in</span>
        </label>
      );
    default:
      return (
        <div className="flex flex-wrap gap-1.5 [&>*]:flex-[1_1_110px]">
          {"key" in one && (
            <Combobox
              aria-label="Key"
              suggestions={one.kind === "field" ? fields : []}
              value={one.key}
              placeholder={one.kind === "field" ? "author" : "plan"}
              onChange={(key) => set({ ...one, key })}
            />
          )}
          <Select aria-label="Test" value={one.test} onChange={(to) => set({ ...one, test: to })} options={TESTS} />
          {!one.test.endsWith("empty") && (
            <Input
              aria-label="Value"
              value={one.value}
              placeholder={one.kind === "page" ? "/shop" : undefined}
              onChange={(event) => set({ ...one, value: event.target.value })}
            />
          )}
        </div>
      );
  }
}
