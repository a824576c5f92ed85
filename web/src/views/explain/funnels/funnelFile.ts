import type { Schemas } from "@/api/client";
import { rowsFile, type FileFormat } from "@/api/exports";
import { stepName, type Funnel, type FunnelFigures, type FunnelRow } from "@/words/funnels";

const COLUMNS = [
  "Of", "Step", "Name", "Reached", "Before", "Share of step 1", "Share of the step before", "Low", "High", "Lost", "Median, s", "Quartile, s", "Upper quartile, s",
]; // prettier-ignore

/** The figures of a funnel as a file: a row for each step of all, and of each row beside. */
export function funnelFile(
  site: string,
  format: FileFormat,
  title: string,
  funnel: Funnel,
  result: Schemas["FunnelResult"],
  rows: readonly FunnelRow[],
): Promise<Blob> {
  const lines = (of: string, one: FunnelFigures) =>
    funnel.steps.map((match, step) => [
      of,
      step + 1,
      stepName(match),
      one.reached[step] ?? 0,
      one.before?.[step] ?? null,
      ...[one.of_first, one.of_previous, one.low, one.high, one.lost, one.median, one.quartile, one.upper_quartile].map(
        (values) => values[step] ?? null,
      ),
    ]);
  return rowsFile(site, format, {
    title,
    columns: COLUMNS,
    rows: [...lines("all", result.whole), ...rows.flatMap((row) => lines(row.name, row.figures))],
  });
}
