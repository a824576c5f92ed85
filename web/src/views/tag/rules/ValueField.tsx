import { Input } from "@/ui/Field";
import { useId } from "react";

import type { Value } from "@/words/rules";
import { Select } from "@/ui/Select";

const SOURCES: [Value["kind"], string][] = [
  ["fixed", "always"],
  ["element", "text of an element"],
  ["query", "query key"],
  ["cookie", "cookie"],
  ["variable", "variable of the page"],
  ["source", "the visit’s"],
];
const PARTS = ["source", "medium", "campaign", "content", "term", "label", "channel"] as const;

function fresh(kind: Value["kind"]): Value {
  switch (kind) {
    case "fixed":
      return { kind, text: "" };
    case "element":
      return { kind, selector: null, attribute: null };
    case "variable":
      return { kind, path: "" };
    case "source":
      return { kind, part: "channel" };
    default:
      return { kind, key: "" };
  }
}

interface ValueFieldProps {
  label: string;
  value: Value;
  set: (value: Value) => void;
}

/** Where a value comes from: fixed, or read on the page when the rule fires. */
export function ValueField({ label, value, set }: ValueFieldProps) {
  const id = useId();
  const input = (what: string, text: string, to: (text: string) => Value, placeholder?: string) => (
    <Input aria-label={`${label}: ${what}`} value={text} placeholder={placeholder} onChange={(event) => set(to(event.target.value))} />
  );
  return (
    <div className="flex flex-wrap gap-1.5 [&>*]:flex-[1_1_110px]" role="group" aria-labelledby={id}>
      <span id={id} className="sr-only">
        {label}
      </span>
      <Select
        className="w-auto"
        aria-label={`${label}: where it comes from`}
        value={value.kind}
        onChange={(to) => set(fresh(to))}
        options={SOURCES.map(([kind, name]) => ({ value: kind, label: name }))}
      />
      {value.kind === "fixed" && input("text", value.text, (text) => ({ kind: "fixed", text }))}
      {(value.kind === "query" || value.kind === "cookie") &&
        input("key", value.key, (key) => ({ kind: value.kind, key }), value.kind === "query" ? "plan" : "club")}
      {value.kind === "variable" && input("path", value.path, (path) => ({ kind: "variable", path }), "shop.basket.total")}
      {value.kind === "element" && (
        <>
          {input("selector", value.selector ?? "", (text) => ({ ...value, selector: text || null }), "the element itself")}
          {input("attribute", value.attribute ?? "", (text) => ({ ...value, attribute: text || null }), "or attribute")}
        </>
      )}
      {value.kind === "source" && (
        <Select
          className="w-auto"
          aria-label={`${label}: what of the source`}
          value={value.part}
          onChange={(to) => set({ kind: "source", part: to })}
          options={PARTS}
        />
      )}
    </div>
  );
}
