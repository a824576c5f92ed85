import { useQuery } from "@tanstack/react-query";

import { api, type Schemas } from "@/api/client";
import { partsOfSegments } from "@/api/figures";
import { keptWhile } from "@/api/queries";
import { FunnelAnswer } from "@/views/explain/funnels/FunnelAnswer";
import { funnelFile } from "@/views/explain/funnels/funnelFile";
import { FunnelLine } from "@/views/explain/funnels/FunnelLine";
import { FunnelSteps } from "@/views/explain/funnels/FunnelSteps";
import { LostThere } from "@/views/explain/funnels/LostThere";
import { OpenedStep, readStepFigure } from "@/views/explain/funnels/OpenedStep";
import { StepCourse } from "@/views/explain/funnels/StepCourse";
import { useFunnel } from "@/views/explain/funnels/useFunnel";
import { useOpened } from "@/views/shared/useOpened";
import { FileMenu } from "@/ledger/FileMenu";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { ViewPending } from "@/ledger/ViewPending";
import { useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { EmptyNote, ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { valueWords } from "@/words/format";
import { difference, stepName, worstStep, type FunnelFigures, type FunnelRow } from "@/words/funnels";
import { partWords } from "@/words/segments";

/** How far people come along steps, where they are lost, and who. */
export function Funnels() {
  const { trouble, again, ready } = useSite();
  if (trouble) return <ViewError error={trouble} again={again} />;
  return ready ? <Funnel /> : <ViewPending />;
}

const MAX_ROWS = 4;
const NOBODY: FunnelFigures = {
  reached: [],
  of_first: [],
  of_previous: [],
  low: [],
  high: [],
  lost: [],
  quartile: [],
  median: [],
  upper_quartile: [],
};
/** Figures that are not there yet. */
const UNKNOWN: Schemas["FunnelResult"] = {
  period: { first: "", last: "" },
  versus: null,
  whole: NOBODY,
  matched: [],
  lost_to: [],
  beside: [],
  values: [],
  rows: [],
  count: 0,
};
const readStep = (given: unknown): number | null =>
  Number.isInteger(given) && Number(given) >= 0 && Number(given) < 10 ? Number(given) : null;

function Funnel() {
  const { site, registry, segments } = useSite();
  const { period, versus, segment, beside, live } = useView();
  const inHand = useFunnel();
  const { funnel, by, set, error, again } = inHand;
  const [chosen, choose] = useShown("step", -1, readStep);
  const [opened, open, drawer] = useOpened("opened step", readStepFigure);
  const body: Schemas["FunnelRequest"] = {
    period,
    versus,
    segment,
    funnel: funnel ?? { steps: [], units: "visits", directly_next: false },
    beside: partsOfSegments(beside),
    dimension: by || null,
    limit: MAX_ROWS,
  };
  const isSame = (was: Schemas["FunnelRequest"]) => JSON.stringify(was.funnel) === JSON.stringify(funnel);
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/funnel",
      { params: { path: { site: site.key } }, body },
      { enabled: funnel !== null, placeholderData: keptWhile(isSame), refetchInterval: live ? 4_000 : false },
    ),
  );
  if (error) return <ViewError error={error} again={again} />;
  if (asked.isError) return <ViewError error={asked.error} again={() => void asked.refetch()} />;
  const dimension = registry?.dimensions.find((one) => one.name === by) ?? null;
  // While the figures of another funnel are on their way its steps stand already, so that one can go on building.
  const result = asked.data ?? UNKNOWN;
  if (!funnel)
    return (
      <div className="grid gap-3">
        <Answer> </Answer>
        <LedgerSkeleton rows={8} />
      </div>
    );
  const values = (result.values ?? []).map((value, place): FunnelRow => ({
    name: valueWords(by, value),
    value,
    figures: result.rows?.[place] ?? result.whole,
  }));
  const sides = beside.map((part, place): FunnelRow => ({
    name: partWords(part, { registry, segments }),
    value: null,
    figures: result.beside?.[place] ?? result.whole,
  }));
  const rows = [...sides, ...values];
  const apart = difference(result.whole, rows);
  const step = chosen >= 0 && chosen < funnel.steps.length ? chosen : (apart?.step ?? worstStep(result.whole) ?? funnel.steps.length - 1);
  const title = `Funnel ${funnel.steps.map(stepName).join(" to ")}`.slice(0, 100);
  return (
    <div className="held grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-3" aria-busy={asked.isPlaceholderData || !asked.data}>
      {asked.data ? <FunnelAnswer {...{ funnel, result, dimension, apart }} /> : <Answer> </Answer>}
      <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
        <FunnelLine funnel={funnel} inHand={inHand} />
        <span className="text-label">
          <FileMenu
            title={title}
            choices={[{ words: "these rows", make: (format) => funnelFile(site.key, format, title, funnel, result, rows) }]}
          />
        </span>
      </div>
      <FunnelSteps
        {...{ funnel, result, rows, set }}
        dimension={by || null}
        chosen={step}
        onChoose={(to) => choose(() => to)}
        onOpen={open}
      />
      {opened && asked.data && <OpenedStep {...{ opened, funnel, result, rows }} dimension={by || null} sides={body.beside} {...drawer} />}
      {result.whole.reached[0] === 0 && (
        <EmptyNote>Nobody came to the first step in these days. Choose other days, or edit the step: its word is its control.</EmptyNote>
      )}
      <p className="text-label text-ink-2">
        On the bars a ring is the share in the period before. Beside them ● a part, ○ all; a whisker is the 95 % interval; <b>few</b> says
        nothing yet. {(result.count ?? 0) > values.length && `The ${values.length} largest of ${result.count} values.`}
      </p>
      {apart && <LostThere {...{ funnel, dimension }} step={apart.step} row={apart.row} part={beside[rows.indexOf(apart.row)]} />}
      <StepCourse funnel={funnel} step={step} segment={segment} />
    </div>
  );
}
