import type { Schemas } from "@/api/client";
import { figure } from "@/words/format";

export type CreditModel = NonNullable<Schemas["Column"]["model"]>;
export type Reach = NonNullable<Schemas["Column"]["reach"]>;

/** Models by the names that they have on the screen. */
export const MODELS: readonly { value: string; label: string; model: CreditModel; meaning: string }[] = [
  { value: "first", label: "First touch", model: "first touch", meaning: "All to the first touch in reach." },
  { value: "linear", label: "Linear", model: "linear", meaning: "The same to each touch." },
  {
    value: "position",
    label: "Position-based",
    model: positionBased(40, 20, 40),
    meaning: "Most to the first and the last touch, the rest between.",
  },
  { value: "start", label: "Start-heavy", model: positionBased(60, 20, 20), meaning: "Most to the first touch." },
  { value: "end", label: "End-heavy", model: positionBased(20, 20, 60), meaning: "Most to the last touch." },
  { value: "own", label: "Own weights", model: positionBased(30, 40, 30), meaning: "Your own three numbers." },
  {
    value: "decay",
    label: "Time decay",
    model: { kind: "time decay", half_life_days: 7 },
    meaning: "The nearer to the conversion the more.",
  },
  { value: "last", label: "Last touch", model: "last touch", meaning: "All to the last touch." },
  {
    value: "every",
    label: "Every touch",
    model: "every touch",
    meaning: "The whole to each value that was touched; adds up to more than there were.",
  },
  { value: "spot", label: "On the spot", model: "on the spot", meaning: "All to the conversion’s own visit." },
  {
    value: "removal",
    label: "Removal effect",
    model: "removal effect",
    meaning: "In proportion to how much less would convert, if it were missing from all ways.",
  },
];

function positionBased(first: number, between: number, last: number): CreditModel {
  return { kind: "position based", first, between, last };
}

const sameNumbers = (one: CreditModel, other: CreditModel) => JSON.stringify(numbersOf(one)) === JSON.stringify(numbersOf(other));

/** The three weights of a position-based model. */
export const numbersOf = (model: CreditModel): [number, number, number] | null =>
  typeof model === "object" && model.kind === "position based" ? [model.first, model.between, model.last] : null;

/** Which of the models it is. */
export function modelName(model: CreditModel): string {
  if (typeof model === "string") return MODELS.find((one) => one.model === model)?.value ?? "linear";
  if (model.kind === "time decay") return "decay";
  return MODELS.find((one) => one.value !== "own" && typeof one.model === "object" && sameNumbers(one.model, model))?.value ?? "own";
}

export const modelLabel = (model: CreditModel): string => MODELS.find((one) => one.value === modelName(model))?.label ?? "";

/** How heavy four touches in a row are, for a small picture of the model. */
export function weightsOf(model: CreditModel): [number, number, number, number] {
  const [first, between, last] = numbersOf(model) ?? [0, 0, 0];
  switch (modelName(model)) {
    case "first":
      return [1, 0, 0, 0];
    case "last":
    case "spot":
      return [0, 0, 0, 1];
    case "decay":
      return [0.15, 0.3, 0.55, 1];
    case "linear":
      return [0.6, 0.6, 0.6, 0.6];
    case "every":
      return [1, 1, 1, 1];
    case "removal":
      return [0.7, 0.25, 0.7, 0.7];
    default: {
      const most = Math.max(first, between / 2, last) || 1;
      return [first / most, between / 2 / most, between / 2 / most, last / most];
    }
  }
}

export const reachWords = (reach: Reach): string => (reach === "own visit" ? "own visit" : reach === 1 ? "1 day" : `${reach} days`);

const MIN_TOLD = 5;
const MUCH = 0.2;

/** Whether a value begins ways to the goal more than it closes them: by its credit as first and as last touch. */
export function mostly(first: number, last: number): "begins" | "closes" | "either" | "few" | "" {
  if (first + last === 0) return "";
  if (Math.max(first, last) < MIN_TOLD) return "few";
  const gap = (first - last) / ((first + last) / 2);
  return gap >= MUCH ? "begins" : gap <= -MUCH ? "closes" : "either";
}

export interface Ends {
  value: string;
  first: number;
  last: number;
}

/** Who closes most what others begin, and who begins most what others close; each with at least so many more. */
export function endsSaid(rows: readonly Ends[]): { closes: Ends | null; begins: Ends | null } {
  const named = rows.filter((one) => one.value !== "");
  const most = (of: (one: Ends) => number, as: string) =>
    [...named].filter((one) => mostly(one.first, one.last) === as && of(one) >= MIN_TOLD).sort((a, b) => of(b) - of(a))[0] ?? null;
  return { closes: most((one) => one.last - one.first, "closes"), begins: most((one) => one.first - one.last, "begins") };
}

/** A credit: whole where it is, else with a digit. */
export const credit = (value: number | null | undefined): string =>
  value == null ? figure(value, "count") : Math.abs(value) >= 1000 ? figure(value, "count") : value.toFixed(1);

/** A gap between two shares, in points with their sign. */
export function points(now: number | null, against: number | null): string {
  if (now === null || against === null) return "–";
  const gap = (now - against) * 100;
  return Math.abs(gap) < 0.05 ? "0.0" : `${gap > 0 ? "+" : "−"}${Math.abs(gap).toFixed(1)}`;
}

/** How many conversions all models agree about, for they had one touch only; and how many they do not. */
export function touchesSaid(lengths: readonly { touches: number; conversions: number }[], did: string): string {
  const of = (fits: (touches: number) => boolean) => lengths.reduce((sum, one) => sum + (fits(one.touches) ? one.conversions : 0), 0);
  const [all, one, none, several] = [of(() => true), of((n) => n === 1), of((n) => n === 0), of((n) => n > 1)];
  const untouched = none ? ` ${figure(none, "count")} had none in reach.` : "";
  if (!several)
    return `${figure(one, "count")} of the ${figure(all, "count")} ${did} had one touch only: every model says the same.${untouched}`;
  return `${figure(one, "count")} of the ${figure(all, "count")} ${did} had one touch only, and every model agrees about those. What models argue over is the other ${figure(several, "count")}.${untouched}`;
}
