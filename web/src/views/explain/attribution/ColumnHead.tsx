import { useState } from "react";

import type { CreditColumn } from "@/views/explain/attribution/columns";
import { NumberWord, Word } from "@/views/explain/segments/Written";
import { Chosen } from "@/views/shared/Chosen";
import { typedNumber } from "@/forms/numbers";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Dots } from "@/ui/icons";
import { Menu, MenuItem } from "@/ui/Menu";
import { modelName, MODELS, numbersOf, reachWords, weightsOf, type CreditModel, type Reach } from "@/words/attribution";

const REACHES = ["own visit", 1, 7, 14, 30, 60, 90, 180, 365] as const;

interface ColumnHeadProps {
  column: CreditColumn;
  place: number;
  count: number;
  /** What it is held against. */
  against: string;
  set: (to: CreditColumn) => void;
  onCopy: (() => void) | null;
  onMove: (by: -1 | 1) => void;
  onRemove: () => void;
}

/** What a column is, as words that are its controls. */
export function ColumnHead({ column, place, count, against, set, onCopy, onMove, onRemove }: ColumnHeadProps) {
  const { segments, goals } = useSite();
  const { goal: steered } = useView();
  const { measure, model, reach, segment, goal, product } = column;
  const name = modelName(model);
  // What is typed is the reader's own until another model is chosen.
  const [turn, setTurn] = useState(0);
  const reaches = REACHES.some((one) => one === reach) ? REACHES : [reach, ...REACHES];
  const what = product !== undefined ? "product" : `${measure} ${goal ?? steered?.id ?? ""}`;
  const whats = goals.flatMap((one) => [
    { value: `conversions ${one.id}`, label: one.name },
    { value: `value ${one.id}`, label: `value of ${one.name}` },
  ]);
  const people = segments.filter((one) => !one.archived || one.id === segment);
  return (
    <div className="grid gap-0.5 pb-1 text-start text-label font-normal text-ink-2">
      <span className="flex items-center gap-2">
        <Glyph model={model} />
        <span className="min-w-0 font-serif text-note font-[560] text-ink">
          <Chosen
            label={`Model of column ${place + 1}`}
            value={name}
            options={MODELS.map((one) => ({ value: one.value, label: one.label }))}
            onChange={(to) => {
              set({ ...column, model: MODELS.find((one) => one.value === to)?.model ?? model });
              setTurn((was) => was + 1);
            }}
          />
        </span>
        <Menu
          align="end"
          trigger={
            <Button kind="icon" className="ml-auto" aria-label={`Actions for column ${place + 1}`}>
              <Dots />
            </Button>
          }
        >
          {onCopy && <MenuItem onSelect={onCopy}>Duplicate</MenuItem>}
          {place > 0 && <MenuItem onSelect={() => onMove(-1)}>Move it to the left</MenuItem>}
          {place < count - 1 && <MenuItem onSelect={() => onMove(1)}>Move it to the right</MenuItem>}
          {count > 1 && <MenuItem onSelect={onRemove}>Remove</MenuItem>}
        </Menu>
      </span>
      <span className="flex flex-wrap gap-x-2.5">
        <span>
          reach{" "}
          <Chosen
            label={`Reach of column ${place + 1}`}
            value={String(reach)}
            options={reaches.map((one) => ({ value: String(one), label: reachWords(one as Reach) }))}
            onChange={(to) => set({ ...column, reach: to === "own visit" ? to : Number(to) })}
          />
        </span>
        <Chosen
          label={`Whose, in column ${place + 1}`}
          value={segment === undefined ? "" : String(segment)}
          options={[{ value: "", label: "everyone" }, ...people.map((one) => ({ value: String(one.id), label: one.name }))]}
          onChange={(to) => set(without(column, "segment", to ? { segment: Number(to) } : {}))}
        />
        <Numbers
          key={`${turn} ${typeof model === "object" ? model.kind : model}`}
          model={model}
          set={(to) => set({ ...column, model: to })}
        />
      </span>
      <span className="flex flex-wrap items-baseline gap-x-2.5">
        <Chosen
          label={`What column ${place + 1} credits`}
          value={what}
          options={[...whats, { value: "product", label: "a product that was bought" }]}
          onChange={(to) => {
            const [kind, id] = to.split(" ");
            const plain = without(without(column, "product"), "goal");
            if (to === "product") set({ ...plain, product: product ?? "" });
            else
              set({
                ...plain,
                measure: kind === "value" ? "value" : "conversions",
                ...(Number(id) === steered?.id ? {} : { goal: Number(id) }),
              });
          }}
        />
        {product !== undefined && <Product key={product} product={product} set={(to) => set({ ...column, product: to })} />}
      </span>
      <span>○ {against}</span>
    </div>
  );
}

type Choice = "segment" | "goal" | "product";

const without = (column: CreditColumn, key: Choice, to: Partial<CreditColumn> = {}): CreditColumn => ({
  ...(Object.fromEntries(Object.entries(column).filter(([name]) => name !== key)) as unknown as CreditColumn),
  ...to,
});

/** The analyst’s own three weights, or the half-life; nothing of models without numbers. */
function Numbers({ model, set }: { model: CreditModel; set: (model: CreditModel) => void }) {
  const weights = numbersOf(model);
  const life = typeof model === "object" && model.kind === "time decay" ? model.half_life_days : null;
  const [typed, setTyped] = useState<string[]>((weights ?? [life ?? 0]).map(String));
  const [isOpen, setOpen] = useState(modelName(model) === "own" || life !== null);
  const numbers = typed.map(typedNumber);
  const isWrong = numbers.some((one) => !Number.isFinite(one) || one < 0) || numbers.reduce((sum, one) => sum + one, 0) <= 0;
  const take = () => {
    if (isWrong) return;
    const [first = 0, between = 0, last = 0] = numbers;
    set(weights ? { kind: "position based", first, between, last } : { kind: "time decay", half_life_days: first });
  };
  if (!weights && life === null) return null;
  if (!isOpen)
    return (
      <Button kind="quiet" onClick={() => setOpen(true)} aria-label={`Weights ${typed.join("/")}; own ones`}>
        {typed.join("/")}
      </Button>
    );
  const labels = weights ? ["First", "Between", "Last"] : ["Half-life, days"];
  return (
    <span
      onBlur={(event) => !event.currentTarget.contains(event.relatedTarget) && take()}
      onKeyDown={(event) => event.key === "Enter" && take()}
      className="flex items-baseline gap-1"
    >
      {!weights && "half-life"}
      {labels.map((label, at) => (
        <NumberWord
          key={label}
          label={label}
          value={typed[at] ?? ""}
          isWrong={isWrong}
          onChange={(to) => setTyped((was) => was.map((one, place) => (place === at ? to : one)))}
        />
      ))}
      {isWrong && <span className="text-rust">numbers, one above 0</span>}
    </span>
  );
}

function Product({ product, set }: { product: string; set: (to: string) => void }) {
  const [typed, setTyped] = useState(product);
  const take = () => set(typed.trim());
  return (
    <form
      className="inline"
      onBlur={take}
      onSubmit={(event) => {
        event.preventDefault();
        take();
      }}
    >
      <Word
        label="Product"
        value={typed}
        suggestions={[]}
        onChange={setTyped}
        isWrong={typed.trim() === ""}
        placeholder="its SKU or name"
        isNew={!product}
      />
    </form>
  );
}

/** How heavy the first touch, those between, and the last one are. */
function Glyph({ model }: { model: CreditModel }) {
  return (
    <svg width="26" height="12" aria-hidden="true" className="shrink-0">
      {weightsOf(model).map((weight, at) => (
        <rect key={at} className="fill-teal" x={at * 7} y={11 - Math.max(weight * 10, 1)} width="4" height={Math.max(weight * 10, 1)} />
      ))}
    </svg>
  );
}
