import { scaleLinear } from "@visx/scale";
import { Area, LinePath } from "@visx/shape";

import { DataTable } from "@/charts/DataTable";
import { AXIS_TEXT, GRID, LINE } from "@/charts/styles";
import { useWidth } from "@/charts/useWidth";
import { figure } from "@/words/format";

interface ReachCurveProps {
  /** What it shows, in words. */
  title: string;
  /** How many reached each step of the way from nothing to the end, at even distances. */
  reached: readonly number[];
}

const HEIGHT = 150;
const LEFT = 34;
const TOP = 8;
const BOTTOM = HEIGHT - 22;

/** How far something was followed: how many were still there at each part of it. */
export function ReachCurve({ title, reached }: ReachCurveProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const points = reached.map((count, place) => ({ at: place / Math.max(reached.length - 1, 1), count }));
  const all = reached[0] ?? 0;
  const x = scaleLinear({ domain: [0, 1], range: [LEFT, Math.max(width - 14, LEFT + 40)] });
  const y = scaleLinear({ domain: [0, 1], range: [BOTTOM, TOP] });
  const share = (count: number) => (all > 0 ? count / all : 0);
  return (
    <figure ref={box} className="min-w-0">
      <figcaption className="text-label wrap-anywhere text-ink-2">{title}</figcaption>
      <svg width={width} height={HEIGHT} aria-hidden="true">
        {[0, 0.5, 1].map((tick) => (
          <g key={tick}>
            <path className={GRID} d={`M${LEFT} ${Math.round(y(tick)) + 0.5}H${x(1)}`} />
            <text className={AXIS_TEXT} x={LEFT - 6} y={y(tick) + 4} textAnchor="end">
              {tick * 100}
            </text>
          </g>
        ))}
        <Area data={points} x={(one) => x(one.at)} y0={BOTTOM} y1={(one) => y(share(one.count))} className="fill-sea-1" />
        <LinePath data={points} x={(one) => x(one.at)} y={(one) => y(share(one.count))} className={LINE} strokeWidth={1.75} />
        {[0, 0.25, 0.5, 0.75, 1].map((tick) => (
          <text key={tick} className={AXIS_TEXT} x={x(tick)} y={HEIGHT - 5} textAnchor={tick === 1 ? "end" : tick ? "middle" : "start"}>
            {tick * 100} %
          </text>
        ))}
      </svg>
      <DataTable
        caption={title}
        heads={["Of it", "Visits", "Of all, %"]}
        rows={points.map((one) => [`${Math.round(one.at * 100)} %`, figure(one.count, "count"), figure(share(one.count), "percent")])}
      />
    </figure>
  );
}
