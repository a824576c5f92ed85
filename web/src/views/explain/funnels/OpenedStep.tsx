import type { Schemas } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { reachedPart } from "@/views/explain/funnels/parts";
import { StepCourse } from "@/views/explain/funnels/StepCourse";
import { StepParts } from "@/views/explain/funnels/StepParts";
import { VisitsBehind } from "@/views/shared/Behind";
import { isRecord } from "@/state/address";
import { isText } from "@/state/shown";
import { useView } from "@/state/view";
import { Sheet } from "@/ui/Dialog";
import { Title } from "@/ui/text";
import { duration, figure, NOTHING, periodWords } from "@/words/format";
import { stepName, type Funnel, type FunnelFigures, type FunnelRow } from "@/words/funnels";

/** A figure of a step that is opened: how long it took, or how many of a row went on to it. */
export interface OpenedStepFigure {
  step: number;
  figure: "took" | "went on";
  /** What its row is called; null: all. */
  row: string | null;
}

/** What an address says is opened. */
export function readStepFigure(given: unknown): OpenedStepFigure | null {
  if (!isRecord(given)) return null;
  const { step, figure: of, row } = given;
  if (!Number.isInteger(step) || Number(step) < 1 || Number(step) > 9 || (of !== "took" && of !== "went on")) return null;
  return { step: Number(step), figure: of, row: isText(row) ? row : null };
}

interface OpenedStepProps {
  opened: OpenedStepFigure;
  funnel: Funnel;
  result: Schemas["FunnelResult"];
  rows: readonly FunnelRow[];
  dimension: string | null;
  /** The segment of each row, of those that stand side by side. */
  sides: readonly Schemas["FunnelRequest"]["beside"][number][];
  onClose: () => void;
  onCloseAutoFocus: (event: Event) => void;
}

/** Behind a share that went on, or a time: what it is with its numbers, its course, its parts, the visits behind it. */
export function OpenedStep({ opened, funnel, result, rows, dimension, sides, onClose, onCloseAutoFocus }: OpenedStepProps) {
  const { period, segment } = useView();
  const { step } = opened;
  const [here, before] = [funnel.steps[step], funnel.steps[step - 1]];
  const place = rows.findIndex((one) => one.name === opened.row);
  const row = rows[place];
  if (!here || !before || (opened.row !== null && !row)) return null;
  const side = row?.value === null ? sides[place] : undefined;
  const places = row && dimension && row.value !== null ? [{ dimension, value: row.value }] : [];
  const part = narrowedBy(null, [], [...(side ? [{ kind: "segment" as const, segment: side }] : []), reachedPart(funnel, step)]);
  const theirs = narrowedBy(
    segment,
    places.map(({ dimension: name, value }) => ({ dimension: name, values: [value], without: false })),
    side ? [{ kind: "segment", segment: side }] : [],
  );
  const figures = row?.figures ?? result.whole;
  return (
    <Sheet
      open
      above="Opened up"
      title={opened.figure === "took" ? "Took" : "Went on, %"}
      below={`${opened.row ?? "All"}, from ${stepName(before)} to ${stepName(here)}, ${periodWords(period)}`}
      onClose={onClose}
      onCloseAutoFocus={onCloseAutoFocus}
    >
      {opened.figure === "took" ? (
        <Took figures={figures} step={step} />
      ) : (
        <Share {...{ figures, funnel, step }} all={row ? result.whole : null} />
      )}
      <Title className="mt-[18px] border-t border-hairline pt-2.5">Its course</Title>
      <StepCourse funnel={funnel} step={step} segment={theirs} figure={opened.figure} />
      <StepParts funnel={funnel} step={step} figure={opened.figure} segment={theirs} taken={places.map((one) => one.dimension)} />
      {part && (
        <p className="mt-3">
          <VisitsBehind
            className="text-teal underline-offset-3 hover:underline"
            places={places}
            whole={{ kind: "segment", segment: part }}
          />
        </p>
      )}
    </Sheet>
  );
}

const BIG = "mt-3 text-[34px] leading-10 font-semibold";
const percent = (share: number | null | undefined): string => (share == null ? NOTHING : `${figure(share, "percent")} %`);

function Share({ figures, funnel, step, all }: { figures: FunnelFigures; funnel: Funnel; step: number; all: FunnelFigures | null }) {
  const [here, before, share] = [figures.reached[step] ?? 0, figures.reached[step - 1] ?? 0, figures.of_previous[step]];
  const [low, high] = [figures.low[step], figures.high[step]];
  return (
    <>
      <p className={BIG} data-figure>
        {share == null ? NOTHING : figure(share, "percent")}
      </p>
      {low != null && high != null && (
        <p>
          Between {figure(low, "percent")} and {percent(high)}, as far as chance goes (95 % Wilson interval).
        </p>
      )}
      {all && <p className="text-ink-2">Of all it is {percent(all.of_previous[step])}.</p>}
      <Title className="mt-[18px] border-t border-hairline pt-2.5">What it is</Title>
      <p>
        Of the {funnel.units} that came to step {step}, how many came to step {step + 1}.
      </p>
      <p className="my-1.5 font-serif text-note" data-numbers>
        = {figure(here, "count")} ÷ {figure(before, "count")} = {percent(share)}
      </p>
    </>
  );
}

function Took({ figures, step }: { figures: FunnelFigures; step: number }) {
  const times = [
    { says: "a quarter took less than", seconds: figures.quartile[step] },
    { says: "half took less than", seconds: figures.median[step] },
    { says: "three quarters took less than", seconds: figures.upper_quartile[step] },
  ];
  const said = (seconds: number | null | undefined) => (seconds == null ? NOTHING : duration(seconds * 1000));
  return (
    <>
      <p className={BIG} data-figure>
        {said(figures.median[step])}
      </p>
      <Title className="mt-[18px] border-t border-hairline pt-2.5">What it is</Title>
      <p>
        From the hit of step {step} to that of step {step + 1}, of the {figure(figures.reached[step] ?? 0, "count")} who came to both: the
        median, and between what the middle half of them lies.
      </p>
      <dl data-numbers>
        {times.map(({ says, seconds }) => (
          <div key={says} className="flex justify-between border-b border-hairline py-[3px]">
            <dt>{says}</dt>
            <dd className="font-semibold">{said(seconds)}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}
