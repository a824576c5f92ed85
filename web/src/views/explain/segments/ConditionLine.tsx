import { useSite } from "@/state/site";
import { useValues } from "@/views/shared/useValues";
import { Button } from "@/ui/Button";
import { Chosen } from "@/views/shared/Chosen";
import { PatternHint } from "@/views/shared/PatternHint";
import { newMatch, UNITS, type ConditionDraft, type MatchDraft, type Unit } from "@/views/explain/segments/draft";
import { MatchMore, MatchWords } from "@/views/explain/segments/MatchWords";
import { Line, NumberWord, Word } from "@/views/explain/segments/Written";
import { plural, valueWords, within } from "@/words/format";
import { wayWords } from "@/words/paths";
import { segmentWords } from "@/words/segments";

type Of<Kind extends ConditionDraft["kind"]> = Extract<ConditionDraft, { kind: Kind }>;

interface ConditionProps<Kind extends ConditionDraft["kind"]> {
  condition: Of<Kind>;
  set: (condition: Of<Kind>) => void;
  onRemove: () => void;
  fault: string | undefined;
  /** Whether it was just added. */
  isNew: boolean;
}

const VALUE_TESTS = ["is", "is not", "one of", "contains", "starts with", "regular expression", "is empty"] as const;
const TEST_WORDS: Partial<Record<(typeof VALUE_TESTS)[number], string>> = { "one of": "is one of" };

/** A dimension, a test, and the values. */
export function DimensionLine({ condition, set, onRemove, fault, isNew }: ConditionProps<"dimension">) {
  const { registry } = useSite();
  const { dimension, test, values } = condition;
  const title = registry?.dimensions.find((one) => one.name === dimension)?.title ?? dimension;
  const shown = test === "is empty" ? [] : test === "one of" ? [...values.filter((one) => one !== null), null] : values.slice(0, 1);
  const put = (place: number, value: string | null) => {
    const next = shown.map((one, i) => (i === place ? value : one));
    set({ ...condition, values: test === "one of" ? next.filter((one) => one !== null) : next });
  };
  return (
    <Line remove={`the condition on ${within(title)}`} onRemove={onRemove} fault={fault}>
      <Chosen
        label="Whose"
        value={dimension}
        options={(registry?.dimensions ?? []).map((one) => ({ value: one.name, label: within(one.title) }))}
        onChange={(to) => set({ ...condition, dimension: to, values: [null] })}
      />
      <Chosen
        label="Test"
        value={test}
        options={VALUE_TESTS.map((one) => ({ value: one, label: TEST_WORDS[one] ?? one }))}
        onChange={(to) => set({ ...condition, test: to as (typeof VALUE_TESTS)[number], values: values.length ? values : [null] })}
      />
      {shown.map((value, place) => (
        <span key={place} className="contents">
          {place > 0 && <span>or</span>}
          <ValueWord
            dimension={dimension}
            title={title}
            value={value}
            isWrong={Boolean(fault)}
            isNew={isNew && place === 0}
            set={(to) => put(place, to)}
          />
        </span>
      ))}
      {test === "regular expression" && <PatternHint />}
    </Line>
  );
}

interface ValueWordProps {
  dimension: string;
  title: string;
  value: string | null;
  isWrong: boolean;
  isNew: boolean;
  set: (value: string | null) => void;
}

function ValueWord({ dimension, title, value, isWrong, isNew, set }: ValueWordProps) {
  const text = value === null ? "" : valueWords(dimension, value);
  const { values } = useValues(dimension, { query: text });
  const known = values.map((one) => ({ raw: one.value, value: valueWords(dimension, one.value), count: plural(one.visits, "visit") }));
  return (
    <Word
      label={`Value of ${within(title)}`}
      value={text}
      suggestions={known}
      isWrong={isWrong}
      isNew={isNew}
      onChange={(to) => set(to === "" ? null : (known.find((one) => one.value === to)?.raw ?? to))}
    />
  );
}

const NUMBERS = [
  { value: "views", label: "views" },
  { value: "duration", label: "duration, in seconds," },
  { value: "engaged", label: "engaged time, in seconds," },
  { value: "number", label: "number of the visit" },
  { value: "value", label: "value, by the goal steered by," },
];
const NUMBER_WORDS = [
  { value: "≥", label: "at least" },
  { value: ">", label: "more than" },
  { value: "≤", label: "at most" },
  { value: "<", label: "less than" },
  { value: "=", label: "exactly" },
  { value: "≠", label: "other than" },
];

export function NumberLine({ condition, set, onRemove, fault, isNew }: ConditionProps<"number">) {
  return (
    <Line remove="the condition on a number" onRemove={onRemove} fault={fault}>
      <span>has</span>
      <Chosen
        label="Number"
        value={condition.of}
        options={NUMBERS}
        onChange={(to) => set({ ...condition, of: to as typeof condition.of })}
      />
      <span>of</span>
      <Chosen
        label="Test"
        value={condition.test}
        options={NUMBER_WORDS}
        onChange={(to) => set({ ...condition, test: to as typeof condition.test })}
      />
      <NumberWord
        label="How much"
        value={condition.than}
        isWrong={Boolean(fault)}
        isNew={isNew}
        onChange={(than) => set({ ...condition, than })}
      />
    </Line>
  );
}

const TIMES = ["at least", "at most", "exactly"].map((value) => ({ value, label: value }));

export function DidLine({ condition, set, onRemove, fault, isNew }: ConditionProps<"did">) {
  const match = (to: MatchDraft) => set({ ...condition, match: to });
  return (
    <Line remove="what was done" onRemove={onRemove} fault={fault}>
      <MatchWords match={condition.match} set={match} isWrong={Boolean(fault)} isNew={isNew} />
      <span className="-ml-2">,</span>
      <Chosen
        label="How often"
        value={condition.test}
        options={TIMES}
        onChange={(to) => set({ ...condition, test: to as typeof condition.test })}
      />
      <NumberWord label="Times" value={condition.times} isWrong={Boolean(fault)} onChange={(times) => set({ ...condition, times })} />
      <span>{condition.times.trim() === "1" ? "time" : "times"}</span>
      <MatchMore match={condition.match} set={match} />
    </Line>
  );
}

const MAX_STEPS = 10;

export function OrderLine({ condition, set, onRemove, fault, isNew }: ConditionProps<"in order">) {
  const { steps } = condition;
  const change = (next: MatchDraft[]) => set({ ...condition, steps: next });
  return (
    <div>
      <Line remove="what was done in order" onRemove={onRemove} fault={fault}>
        <span>did in this order, within</span>
        <NumberWord
          label="Within how much time, from first to last"
          value={condition.within}
          placeholder="any"
          isWrong={Boolean(fault)}
          onChange={(within_) => set({ ...condition, within: within_ })}
        />
        <Chosen
          label="Unit of time"
          value={condition.unit}
          options={Object.keys(UNITS).map((value) => ({ value, label: value }))}
          onChange={(to) => set({ ...condition, unit: to as Unit })}
        />
        <span>, with</span>
        <Chosen
          label="Between the steps"
          value={condition.directly ? "directly" : "anything"}
          options={[
            { value: "anything", label: "anything in between" },
            { value: "directly", label: "no other page in between" },
          ]}
          onChange={(to) => set({ ...condition, directly: to === "directly" })}
        />
      </Line>
      <ol>
        {steps.map((step, place) => (
          <li key={place}>
            <Line
              className="pl-6"
              remove={`step ${place + 1}`}
              onRemove={() => (steps.length > 2 ? change(steps.filter((_, i) => i !== place)) : onRemove())}
              beside={
                place > 0 && (
                  <Button
                    kind="quiet"
                    className="text-label"
                    aria-label={`Move step ${place + 1} up`}
                    onClick={() => change(steps.map((one, i) => (i === place - 1 ? step : i === place ? (steps[place - 1] ?? one) : one)))}
                  >
                    Up
                  </Button>
                )
              }
            >
              <span className="font-serif">{place + 1}</span>
              <MatchWords
                match={step}
                set={(to) => change(steps.map((one, i) => (i === place ? to : one)))}
                isWrong={Boolean(fault)}
                isNew={isNew && place === 0}
              />
              <MatchMore match={step} set={(to) => change(steps.map((one, i) => (i === place ? to : one)))} />
            </Line>
          </li>
        ))}
      </ol>
      {steps.length < MAX_STEPS && (
        <Button kind="link" className="pl-6 leading-7" onClick={() => change([...steps, newMatch("event")])}>
          Add a step
        </Button>
      )}
    </div>
  );
}

export function SavedLine({ condition, set, onRemove, fault, own }: ConditionProps<"saved"> & { own: number | null }) {
  const { segments } = useSite();
  const options = segments
    .filter((one) => one.id !== own && (!one.archived || one.id === condition.id))
    .map((one) => ({ value: String(one.id), label: one.name }));
  return (
    <Line remove="the saved segment" onRemove={onRemove} fault={fault}>
      <span>is in the segment</span>
      {options.length ? (
        <Chosen
          label="Saved segment"
          value={condition.id === null ? "" : String(condition.id)}
          options={condition.id === null ? [{ value: "", label: "choose one" }, ...options] : options}
          onChange={(to) => set({ ...condition, id: to ? Number(to) : null })}
        />
      ) : (
        <span>: no other is saved yet.</span>
      )}
    </Line>
  );
}

/** What is kept as it is: to be in another segment, or to have gone a way. */
export function WholeLine({ condition, onRemove, fault }: Omit<ConditionProps<"segment" | "way">, "set" | "isNew">) {
  const { registry, segments } = useSite();
  const isWay = condition.kind === "way";
  return (
    <Line remove={isWay ? "the way" : "the segment within"} onRemove={onRemove} fault={fault}>
      <span className="wrap-anywhere">
        {isWay ? wayWords(condition) : `is among ${within(segmentWords(condition.segment, { registry, segments }))}`}
      </span>
    </Line>
  );
}
