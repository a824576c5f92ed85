import { clsx } from "clsx";

import type { MeasureValues, Measure } from "@/api/client";
import { Sparkline } from "@/charts/Sparkline";
import { change, figure, unitOf } from "@/words/format";

/** A change against versus: coloured only beyond chance, and said when it may be chance. */
export function Change({ figures, measure, className }: { figures: MeasureValues; measure: Measure; className?: string }) {
  const before = figures.before?.[measure.name];
  const gap = change(figures.values[measure.name], before, measure.unit);
  const look = clsx("text-label whitespace-nowrap text-ink-2", className);
  if (gap === null) return <span className={look}>{figures.before ? "nothing to compare" : " "}</span>;
  if (!figures.is_significant?.[measure.name]) {
    return (
      <span className={look}>
        <b className="font-semibold text-ink">{gap}</b>
        {measure.chance === "none" || before === figures.values[measure.name] ? ` on ${figure(before, measure.unit)}` : ", may be chance"}
      </span>
    );
  }
  const up = gap.startsWith("+");
  const tone = measure.better === "neither" ? "text-ink" : up === (measure.better === "more") ? "text-kelp" : "text-rust";
  return (
    <span className={look}>
      <b className={clsx("font-semibold", tone)}>
        <svg width="8" height="6" viewBox="0 0 8 6" className="mr-1 inline-block align-[1px]" aria-hidden="true">
          <path d={up ? "M0 6h8L4 0z" : "M0 0h8L4 6z"} fill="currentColor" />
        </svg>
        {gap}
      </b>{" "}
      on {figure(before, measure.unit)}
    </span>
  );
}

interface FigureProps {
  name: string;
  measure: Measure;
  figures: MeasureValues;
  course: (number | null)[];
  currency: string;
  current: boolean;
  onShow: () => void;
  onOpen: () => void;
}

/** Name, value, change, and its course in small. The name shows it in the chart, the value opens it up. */
export function Figure({ name, measure, figures, course, currency, current, onShow, onOpen }: FigureProps) {
  return (
    <li
      className={clsx(
        "relative grid h-[47px] grid-cols-[1fr_auto] grid-rows-[18px_25px] border-b border-hairline pt-0.5 last:border-b-0",
        current && "before:absolute before:inset-y-0 before:-left-3 before:w-0.5 before:bg-magenta",
      )}
      aria-current={current || undefined}
    >
      <button
        type="button"
        className={clsx(
          "col-start-1 -mr-4 truncate text-label leading-[18px] hover:text-ink",
          current ? "font-semibold text-ink" : "text-ink-2",
        )}
        onClick={onShow}
        aria-label={`Show ${name} in the chart`}
      >
        {name}
        {unitOf(measure.unit, currency)}
      </button>
      <button
        type="button"
        className="col-start-1 justify-self-start text-figure leading-[25px] font-semibold decoration-1 underline-offset-4 hover:underline"
        data-opens
        onClick={onOpen}
        aria-label={`${name}: ${figure(figures.values[measure.name], measure.unit)}; open up`}
      >
        {figure(figures.values[measure.name], measure.unit)}
      </button>
      <span className="col-start-2 row-start-1 mt-[3px] ml-auto">
        <Sparkline values={course} />
      </span>
      <Change figures={figures} measure={measure} className="col-start-2 row-start-2 self-end pb-[3px]" />
    </li>
  );
}
