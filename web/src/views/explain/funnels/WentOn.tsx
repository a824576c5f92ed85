import { scaleLinear } from "@visx/scale";

import { RateAxis, RateMark } from "@/charts/RateMark";
import type { OpenedStepFigure } from "@/views/explain/funnels/OpenedStep";
import { FigureButton } from "@/ledger/FigureButton";
import { LongText } from "@/ledger/LongText";
import { useSteering } from "@/state/view";
import { figure, NOTHING } from "@/words/format";
import type { FunnelFigures, FunnelRow } from "@/words/funnels";

const WIDTH = 170;
const scale = scaleLinear({ domain: [0, 1], range: [6, WIDTH - 8] });
const COLUMNS = "grid grid-cols-[minmax(0,1fr)_170px_48px] items-center gap-x-2";

/** What is left of sums that are the same. */
const TINY = 1e-9;

/** The head of the shares that went on, with their scale. */
export function WentOnHead() {
  return (
    <div className={`${COLUMNS} max-[1100px]:hidden`}>
      <span>Went on, %</span>
      <RateAxis all={null} scale={scale} width={WIDTH} />
      <span />
    </div>
  );
}

interface WentOnProps {
  whole: FunnelFigures;
  rows: readonly FunnelRow[];
  step: number;
  dimension: string | null;
  onOpen: (opened: OpenedStepFigure) => void;
}

/** Of those who came to the step before, how many went on to this one: each row a dot, all a ring, the interval a whisker. */
export function WentOn({ whole, rows, step, dimension, onOpen }: WentOnProps) {
  const { narrow } = useSteering();
  const all = whole.of_previous[step];
  return (
    <ul className="content-center text-label max-[1100px]:py-1.5 max-[1100px]:pl-8 min-[1101px]:grid">
      {rows.map(({ name, value, figures }) => {
        const [now, low, high] = [figures.of_previous[step], figures.low[step], figures.high[step]];
        const before = figures.reached[step - 1] ?? 0;
        const isFew = all != null && before * all < 5;
        const isApart = !isFew && all != null && low != null && high != null && (low > all + TINY || high < all - TINY);
        const says = `${name}: ${figure(figures.reached[step], "count")} of ${figure(before, "count")} went on`;
        return (
          <li key={name} className={`${COLUMNS} ${isApart ? "font-semibold" : ""}`} title={says}>
            {dimension && value !== null ? (
              <button
                type="button"
                className="min-w-0 text-start decoration-1 underline-offset-3 hover:underline"
                title={`${says}. Only these (with Alt: without these)`}
                onClick={(event) => narrow(dimension, value, event.altKey ? "without" : "only")}
              >
                <LongText text={name} />
              </button>
            ) : (
              <LongText text={name} />
            )}
            <RateMark rate={{ now, before: all, low, high }} all={null} scale={scale} width={WIDTH} height={20} />
            <span className="text-end">
              {isFew && <span className="text-ink-2">few </span>}
              {now == null ? (
                NOTHING
              ) : (
                <FigureButton
                  label={`${says}: ${figure(now * 100, "count")} %`}
                  onOpen={() => onOpen({ step, figure: "went on", row: name })}
                >
                  {figure(now * 100, "count")}
                </FigureButton>
              )}
            </span>
          </li>
        );
      })}
    </ul>
  );
}
