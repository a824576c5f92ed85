import type { Schemas } from "@/api/client";
import { duration, figure } from "@/words/format";
import { matchWords } from "@/words/segments";

export type Funnel = Schemas["Funnel"];
export type FunnelFigures = Schemas["FunnelFigures"];
type HitMatch = Schemas["HitMatch"];

/** A row that stands beside the whole: of a value, or of a segment. */
export interface FunnelRow {
  /** What it is called; of a value, with its dimension. */
  name: string;
  value: string | null;
  figures: FunnelFigures;
}

/** What a step is called in a list: its page, its event, or all that it asks. */
export function stepName(match: HitMatch): string {
  const isPlain = !match.props.length && !match.fields.length && !match.value;
  const { kind, page, names, name_test: test } = match;
  if (isPlain && kind === "view" && (!page || page.test === "is")) return page?.value ?? "any page";
  if (isPlain && kind === "order" && !page) return "order";
  if (isPlain && kind === "event" && !page && test === "is" && names.length === 1) return names[0] ?? "";
  return matchWords(match);
}

/** How long it took, and between what the middle half of them: `1 min 12 s`, `40 s to 3 min`. */
export function tookWords({ median, quartile, upper_quartile: upper }: FunnelFigures, step: number): [string, string] | null {
  const [middle, low, high] = [median[step], quartile[step], upper[step]];
  if (middle == null || low == null || high == null) return null;
  const words = [low, high].map((one) => duration(one * 1000));
  return [duration(middle * 1000), words[0] === words[1] ? "" : `${words[0]} to ${words[1]}`];
}

const MIN_BEFORE = 30;

/** The step (from 1) at which by far the most are lost: its share lies below that of each other one beyond chance. Null where none stands out. */
export function worstStep({ of_previous: shares, low, high, reached }: FunnelFigures): number | null {
  const steps = shares.map((_, step) => step).filter((step) => step > 0 && (reached[step - 1] ?? 0) >= MIN_BEFORE);
  const worst = steps.sort((a, b) => (shares[a] ?? 1) - (shares[b] ?? 1))[0];
  if (worst === undefined || steps.length < 2) return null;
  return steps.every((step) => step === worst || (high[worst] ?? 1) < (low[step] ?? 0)) ? worst : null;
}

export interface Difference {
  step: number;
  row: FunnelRow;
  /** Who goes on most there; null where none does so more than all beyond chance. */
  against: FunnelRow | null;
  /** How many more would have gone on, if they did as all. */
  missing: number;
}

/** Where most are lost beyond what all lose: the step, the row, and the row that goes on most. */
export function difference(whole: FunnelFigures, rows: readonly FunnelRow[]): Difference | null {
  let found: Difference | null = null;
  for (const row of rows)
    for (let step = 1; step < whole.reached.length; step++) {
      const [own, all, high] = [row.figures.of_previous[step], whole.of_previous[step], row.figures.high[step]];
      const before = row.figures.reached[step - 1] ?? 0;
      if (own == null || all == null || high == null || before < MIN_BEFORE || high >= all) continue;
      const missing = before * (all - own);
      if (!found || missing > found.missing) found = { step, row, against: mostAt(whole, rows, step), missing };
    }
  return found;
}

function mostAt(whole: FunnelFigures, rows: readonly FunnelRow[], step: number): FunnelRow | null {
  const above = rows.filter((one) => (one.figures.low[step] ?? 0) > (whole.of_previous[step] ?? 1));
  return above.sort((a, b) => (b.figures.of_previous[step] ?? 0) - (a.figures.of_previous[step] ?? 0))[0] ?? null;
}

/** A share as so many in a hundred. */
export const inHundred = (share: number): string => figure(share * 100, "count");

/** Where those went who were lost: `131 left the site · 62 to /shop · 38 elsewhere`. */
export function lostWords({ left, pages, elsewhere }: Schemas["LostTo"], most = 2): string {
  const further = pages.slice(most).reduce((sum, one) => sum + one.units, elsewhere);
  return [
    left ? `${figure(left, "count")} left the site` : "",
    ...pages.slice(0, most).map((one) => `${figure(one.units, "count")} to ${one.page}`),
    further ? `${figure(further, "count")} elsewhere` : "",
  ]
    .filter(Boolean)
    .join(" · ");
}
