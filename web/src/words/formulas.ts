import type { Measure } from "@/api/client";
import { duration, figure } from "@/words/format";

type Values = Readonly<Record<string, number | null>>;

/** A number of a formula: seconds as a length of time, all others as they are counted. */
const said = (value: number, unit: string): string =>
  unit === "seconds" ? duration(value * 1000) : figure(value, unit === "money" ? "number" : "count");

/**
 * A formula with its numbers put in: `141 ÷ 4,978`. Of a ratio both sides are known when the ratio and one of them are, so that what is no measure of its
 * own is told too. Nothing for what is counted as it is.
 */
export function formulaNumbers(measure: Measure, values: Values, parts: readonly Measure[]): string | null {
  const found = / (÷|−) /.exec(measure.formula);
  const value = values[measure.name];
  if (!found || value == null) return null;
  const [above = "", below = ""] = measure.formula.split(found[0]);
  const of = (words: string): number | null => {
    const part = parts.find((one) => one.title.toLowerCase() === words.trim().toLowerCase());
    return part ? (values[part.name] ?? null) : null;
  };
  let [top, bottom] = [of(above), of(below)];
  const isRatio = found[1] === "÷";
  if (top === null && bottom !== null) top = isRatio ? value * bottom : value + bottom;
  if (bottom === null && top !== null) bottom = isRatio ? (value ? top / value : null) : top - value;
  if (top === null || bottom === null) return null;
  const unit = isRatio && ["seconds", "money"].includes(measure.unit) ? measure.unit : "count";
  return `${said(top, unit)} ${found[1]} ${said(bottom, "count")}`;
}
