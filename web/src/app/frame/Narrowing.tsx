import { useState } from "react";

import type { DimensionFilter } from "@/api/client";
import { useValues } from "@/views/shared/useValues";
import { useSite } from "@/state/site";
import { useSteering } from "@/state/view";
import { Checkbox } from "@/ui/Choices";
import { Chip } from "@/ui/Chip";
import { FieldError, Input } from "@/ui/Field";
import { Popover } from "@/ui/Popover";
import { plural, valueWords } from "@/words/format";

const MAX_SHOWN = 40;

/** A condition of the segment: a chip that opens as a list of the values to choose from. */
export function Narrowing({ narrowing, isDimmed }: { narrowing: DimensionFilter; isDimmed: boolean }) {
  const { registry } = useSite();
  const { widen } = useSteering();
  const title = registry?.dimensions.find((one) => one.name === narrowing.dimension)?.title ?? narrowing.dimension;
  const values = narrowing.values.map((value) => valueWords(narrowing.dimension, value)).join(" or ");
  const word = narrowing.without ? "Without" : "Only";
  const words = `${word} ${title.toLowerCase()} ${values}`;
  return (
    <Chip
      title={values}
      away={`Remove: ${word.toLowerCase()} ${title.toLowerCase()} ${values}`}
      onAway={() => widen(narrowing)}
      isDashed={narrowing.without}
      isDimmed={isDimmed}
    >
      <Popover
        label={`Values of ${title}`}
        trigger={
          <button type="button" className="max-w-full truncate text-inherit" aria-label={`Choose the values: ${words}`}>
            <span className="mr-px font-normal">{word}</span> {title.toLowerCase()} {values}
          </button>
        }
      >
        <Checklist narrowing={narrowing} title={title} />
      </Popover>
    </Chip>
  );
}

function Checklist({ narrowing, title }: { narrowing: DimensionFilter; title: string }) {
  const { renarrow } = useSteering();
  const { dimension } = narrowing;
  const [query, setQuery] = useState("");
  // What is chosen stands first, and stays in its place while it is chosen and not.
  const [first] = useState(narrowing.values);
  const found = useValues(dimension, { query });
  const counts = new Map(found.values.map((one) => [one.value, one.visits]));
  const all = [...first, ...found.values.map((one) => one.value).filter((one) => !first.includes(one))];
  const fitting = all.filter((one) => valueWords(dimension, one).toLowerCase().includes(query.trim().toLowerCase()));
  const more = Math.max(fitting.length, query.trim() ? 0 : found.count) - MAX_SHOWN;
  const toggle = (value: string, to: boolean) =>
    renarrow(narrowing, to ? [...narrowing.values, value] : narrowing.values.filter((one) => one !== value));
  return (
    <div className="grid gap-2 px-3.5 py-1">
      <Input
        aria-label={`Look for a value of ${title}`}
        placeholder="Look for …"
        value={query}
        onChange={(event) => setQuery(event.target.value)}
      />
      {found.error && <FieldError>{found.error.detail}</FieldError>}
      <div role="group" aria-label={title} aria-busy={found.isPending} className="grid max-h-72 gap-1 overflow-y-auto py-0.5 pl-0.5">
        {fitting.slice(0, MAX_SHOWN).map((value) => {
          const isLast = narrowing.values.length === 1 && narrowing.values[0] === value;
          return (
            <Checkbox
              key={value}
              label={
                <span className="wrap-anywhere">
                  {valueWords(dimension, value)}{" "}
                  <span className="text-label text-ink-2">{counts.has(value) && plural(counts.get(value) ?? 0, "visit")}</span>
                </span>
              }
              checked={narrowing.values.includes(value)}
              // Without any value there is no condition; the chip's cross takes it off.
              disabled={isLast}
              onChange={(to) => toggle(value, to)}
            />
          );
        })}
        {!found.isPending && fitting.length === 0 && <p className="text-ink-2">No visit in these days has such a value.</p>}
        {more > 0 && <p className="text-ink-2">And {plural(more, "more value")}; look for one above.</p>}
      </div>
    </div>
  );
}
