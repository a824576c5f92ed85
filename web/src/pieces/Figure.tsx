import type { MeasureValues, Measure } from "@/api/client";
import { Sparkline } from "@/pieces/Sparkline";
import { change, figure, unitOf } from "@/words/format";

/** A change against versus: coloured only beyond chance, and said when it may be chance. */
export function Change({ figures, measure }: { figures: MeasureValues; measure: Measure }) {
  const before = figures.before?.[measure.name];
  const gap = change(figures.values[measure.name], before, measure.unit);
  if (gap === null) return <span className="change">{figures.before ? "nothing to compare" : " "}</span>;
  if (!figures.is_significant?.[measure.name]) {
    return (
      <span className="change">
        <b>{gap}</b>
        {measure.chance === "none" ? ` on ${figure(before, measure.unit)}` : ", may be chance"}
      </span>
    );
  }
  const up = gap.startsWith("+");
  const tone = measure.better === "neither" ? "" : up === (measure.better === "more") ? " better" : " worse";
  return (
    <span className={`change sure${tone}${up ? " up" : " down"}`}>
      <b>{gap}</b> on {figure(before, measure.unit)}
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
    <li aria-current={current || undefined}>
      <button type="button" className="name" onClick={onShow} aria-label={`Show ${name} in the chart`}>
        {name}
        {unitOf(measure.unit, currency)}
      </button>
      <button
        type="button"
        className="value"
        data-opens
        onClick={onOpen}
        aria-label={`${name}: ${figure(figures.values[measure.name], measure.unit)}; open up`}
      >
        {figure(figures.values[measure.name], measure.unit)}
      </button>
      <Sparkline values={course} />
      <Change figures={figures} measure={measure} />
    </li>
  );
}
