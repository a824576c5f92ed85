import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { clsx } from "clsx";

import type { Period, Schemas } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { COLUMNS, SPLIT } from "@/views/explain/funnels/FunnelSteps";
import type { OpenedStepFigure } from "@/views/explain/funnels/OpenedStep";
import { lostPart, reachedPart } from "@/views/explain/funnels/parts";
import { StepEditor } from "@/views/explain/funnels/StepEditor";
import { WentOn } from "@/views/explain/funnels/WentOn";
import { SegmentBegun } from "@/views/shared/Behind";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { FigureButton } from "@/ledger/FigureButton";
import { LongText } from "@/ledger/LongText";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Dots } from "@/ui/icons";
import { Menu, MenuItem } from "@/ui/Menu";
import { figure, NOTHING } from "@/words/format";
import { lostWords, stepName, tookWords, type Funnel, type FunnelRow } from "@/words/funnels";

interface StepRowProps {
  id: string;
  funnel: Funnel;
  result: Schemas["FunnelResult"];
  rows: readonly FunnelRow[];
  dimension: string | null;
  match: Schemas["HitMatch"];
  step: number;
  /** Whether more are lost before it than before any other, beyond chance. */
  isWorst: boolean;
  isChosen: boolean;
  onChoose: (step: number) => void;
  onOpen: (opened: OpenedStepFigure) => void;
  onSave: (match: Schemas["HitMatch"]) => void;
  onMove: (by: -1 | 1) => void;
  /** Null where a funnel would have too few steps left. */
  onRemove: (() => void) | null;
}

/** A step: who reached it, as a bar on the scale of step 1; above it who was lost on the way there, beside it how many went on. */
export function StepRow(props: StepRowProps) {
  const { id, result, rows, dimension, step } = props;
  const { setNodeRef, transform, transition, isDragging } = useSortable({ id });
  return (
    <li
      ref={setNodeRef}
      className={clsx(SPLIT, "border-b border-hairline py-1", isDragging && "relative z-10 bg-sheet")}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-step={step + 1}
    >
      <div className="min-w-0">
        {step > 0 && <Loss {...props} />}
        <Reached {...props} />
      </div>
      {step > 0 && rows.length > 0 && <WentOn whole={result.whole} rows={rows} step={step} dimension={dimension} onOpen={props.onOpen} />}
    </li>
  );
}

function Reached({ id, funnel, result, match, step, isChosen, onChoose, onOpen, onSave, onMove, onRemove }: StepRowProps) {
  const { site } = useSite();
  const { segment } = useView();
  const openUp = useOpenUp();
  const { attributes, listeners, setActivatorNodeRef } = useSortable({ id });
  const { whole, matched } = result;
  const name = stepName(match);
  const [reached, before] = [whole.reached[step], whole.before?.[step]];
  const share = step ? (whole.of_first[step] ?? null) : reached ? 1 : null;
  const firstBefore = whole.before?.[0];
  const took = tookWords(whole, step);
  const units = funnel.units === "people" ? "visitors" : "visits";
  const title = funnel.units === "people" ? "People" : "Visits";
  const part = reachedPart(funnel, step);
  const openBefore = ({ first, last }: Period) => {
    const narrowed = narrowedBy(segment, [], [part]);
    openUp({ measure: units, title, part: narrowed ? { kind: "segment", segment: narrowed } : part, under: { from: first, to: last } });
  };
  const openShare = () => openUp({ measure: units, title: `${title}, of step 1`, part, outOf: reachedPart(funnel, 0) });
  return (
    <div className={clsx(COLUMNS, "min-h-8")}>
      <div className="flex min-w-0 items-center gap-2 max-[700px]:col-span-full">
        <button
          type="button"
          ref={setActivatorNodeRef}
          className="grid min-h-6 min-w-6 cursor-grab place-items-center font-serif text-ink-2"
          {...attributes}
          {...listeners}
          aria-label={`Step ${step + 1}, ${name}: move it`}
        >
          {step + 1}
        </button>
        <StepEditor
          trigger={
            <Button kind="link" className="min-w-0" aria-label={`Edit step ${step + 1}: ${name}`}>
              <LongText text={name} />
            </Button>
          }
          label={`Step ${step + 1}`}
          match={match}
          note={`${figure(matched[step], "count")} ${funnel.units} have such a hit, whatever came before.`}
          onSave={onSave}
        />
        <Menu
          trigger={
            <Button kind="icon" aria-label={`Actions for step ${step + 1}`}>
              <Dots />
            </Button>
          }
        >
          {step > 0 && <MenuItem onSelect={() => onMove(-1)}>Move it up</MenuItem>}
          {step < funnel.steps.length - 1 && <MenuItem onSelect={() => onMove(1)}>Move it down</MenuItem>}
          {onRemove && <MenuItem onSelect={onRemove}>Remove</MenuItem>}
          <MenuItem aria-current={isChosen || undefined} onSelect={() => onChoose(step)}>
            Its course
          </MenuItem>
          <MenuItem asChild>
            <SegmentBegun site={site.key} draft={segmentOfPart(reachedPart(funnel, step))}>
              Make a segment of who came here
            </SegmentBegun>
          </MenuItem>
          {step > 0 && (
            <MenuItem asChild>
              <SegmentBegun site={site.key} draft={segmentOfPart(lostPart(funnel, step))}>
                Make a segment of who was lost
              </SegmentBegun>
            </MenuItem>
          )}
        </Menu>
      </div>
      <div className="relative h-3.5 max-[700px]:order-last max-[700px]:col-span-full max-[700px]:mb-1" aria-hidden="true">
        <span className="absolute inset-x-0 top-1/2 border-t border-hairline" />
        <span className="absolute inset-y-0 left-0 border-r-2 border-teal bg-sea-2" style={{ width: `${100 * (share ?? 0)}%` }} />
        {before != null && firstBefore ? (
          <span
            className="absolute top-1/2 size-2.5 -translate-1/2 rounded-full border border-ink-2"
            style={{ left: `${(100 * before) / firstBefore}%` }}
          />
        ) : null}
      </div>
      <span className="text-end font-semibold max-[700px]:col-start-2">
        <FigureButton
          label={`Step ${step + 1}, ${name}, reached: ${figure(reached, "count")}`}
          onOpen={() => openUp({ measure: units, title, part })}
        >
          {figure(reached, "count")}
        </FigureButton>
      </span>
      <span className="text-end text-ink-2 max-[700px]:hidden">
        {before == null || !result.versus ? (
          NOTHING
        ) : (
          <FigureButton
            label={`Step ${step + 1}, ${name}, before: ${figure(before, "count")}`}
            onOpen={() => result.versus && openBefore(result.versus)}
          >
            {figure(before, "count")}
          </FigureButton>
        )}
      </span>
      <span className="text-end">
        {share == null ? (
          NOTHING
        ) : (
          <FigureButton label={`Step ${step + 1}, ${name}, of step 1: ${figure(share, "percent")} %`} onOpen={openShare}>
            {figure(share, "percent")}
          </FigureButton>
        )}
      </span>
      <span className="grid text-end leading-4">
        {took && (
          <>
            <FigureButton label={`Step ${step + 1}, ${name}, took: ${took[0]}`} onOpen={() => onOpen({ step, figure: "took", row: null })}>
              {took[0]}
            </FigureButton>
            <span className="text-micro text-ink-2 min-[701px]:whitespace-nowrap" title="Between what the middle half of them lies">
              {took[1]}
            </span>
          </>
        )}
      </span>
    </div>
  );
}

/** Who came to the step before and not to this one, with where they went, drawn as a bracket from there to here. */
function Loss({ funnel, result, match, step, isWorst }: StepRowProps) {
  const openUp = useOpenUp();
  const { whole } = result;
  const [first, lost, share] = [whole.reached[0] ?? 0, whole.lost[step], whole.of_previous[step]];
  const [low, high] = [whole.low[step], whole.high[step]];
  const part = lostPart(funnel, step);
  const of = (count: number | undefined) => (first ? (100 * (count ?? 0)) / first : 0);
  const [here, there] = [of(whole.reached[step]), of(whole.reached[step - 1])];
  const words = lost ? lostWords(result.lost_to[step - 1] ?? { left: 0, pages: [], elsewhere: 0 }) : "";
  const said = `−${figure(lost, "count")} lost${share == null ? "" : `, ${figure((1 - share) * 100, "count")} %`}`;
  const between =
    lost && low != null && high != null ? `between ${figure((1 - high) * 100, "count")} and ${figure((1 - low) * 100, "count")} %` : "";
  return (
    <div className={clsx(COLUMNS, "min-h-7 text-label", isWorst ? "text-rust" : "text-ink-2")}>
      <span className="pl-8 max-[700px]:col-span-full" title={between}>
        {lost ? (
          <FigureButton
            label={`Lost before step ${step + 1}, ${stepName(match)}: ${said}${between && `, ${between}`}`}
            onOpen={() =>
              openUp({
                measure: funnel.units === "people" ? "visitors" : "visits",
                title: funnel.units === "people" ? "People" : "Visits",
                part,
              })
            }
          >
            {said}
          </FigureButton>
        ) : (
          lost === 0 && "nobody lost"
        )}
        {between && <span className="block text-micro text-ink-2">{between}</span>}
      </span>
      <span className="relative h-3 max-[700px]:hidden" aria-hidden="true">
        {Boolean(lost) && (
          <span
            className={clsx("absolute inset-y-0 border-x border-b", isWorst ? "border-rust-mark" : "border-dotted border-ink-2")}
            style={{ left: `${here}%`, width: `${there - here}%` }}
          />
        )}
      </span>
      <span className="col-span-full min-w-0 max-[700px]:pl-8 min-[701px]:col-span-4">
        <span className="block truncate" title={words}>
          {words}
        </span>
      </span>
    </div>
  );
}

const segmentOfPart = (part: ReturnType<typeof reachedPart>) => (part.kind === "segment" ? part.segment : null);
