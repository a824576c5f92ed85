import { localPoint } from "@visx/event";
import { scaleLinear } from "@visx/scale";
import { Area, LinePath } from "@visx/shape";
import type { PointerEvent } from "react";

import { DataTable } from "@/charts/DataTable";
import { AXIS_TEXT, END, GRID, LINE } from "@/charts/styles";
import { usePoints } from "@/charts/usePoints";
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

/** How far something was followed: how many were still there at each part of it. Left and right read it part by part. */
export function ReachCurve({ title, reached }: ReachCurveProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const points = reached.map((count, place) => ({ at: place / Math.max(reached.length - 1, 1), count }));
  const all = reached[0] ?? 0;
  const x = scaleLinear({ domain: [0, 1], range: [LEFT, Math.max(width - 14, LEFT + 40)] });
  const y = scaleLinear({ domain: [0, 1], range: [BOTTOM, TOP] });
  const share = (count: number) => (all > 0 ? count / all : 0);
  const said = ({ at, count }: { at: number; count: number }) =>
    `${Math.round(at * 100)} %: ${figure(count, "count")}, ${figure(share(count), "percent")} % of all`;
  const { at, pointAt, away, slider } = usePoints({
    title,
    count: points.length,
    words: (place) => {
      const read = place === null ? undefined : points[place];
      return read ? said(read) : "Left and right read it part by part";
    },
  });
  const read = at === null ? undefined : points[at];
  const nearest = (event: PointerEvent<SVGSVGElement>) => {
    const part = x.invert(localPoint(event.currentTarget, event)?.x ?? 0);
    return Math.round(Math.min(Math.max(part, 0), 1) * Math.max(points.length - 1, 0));
  };
  return (
    <figure ref={box} className="min-w-0">
      <figcaption className="text-label wrap-anywhere text-ink-2">{title}</figcaption>
      <svg width={width} height={HEIGHT} {...slider} onPointerMove={(event) => pointAt(nearest(event))} onPointerLeave={away}>
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
        {read && (
          <g>
            <path className="stroke-ink-2 [stroke-dasharray:2_2]" d={`M${Math.round(x(read.at)) + 0.5} ${TOP}V${BOTTOM}`} />
            <circle className={END} cx={x(read.at)} cy={y(share(read.count))} r="3" />
          </g>
        )}
      </svg>
      <p className="min-h-5 text-label" data-said>
        {read ? said(read) : ""}
      </p>
      <DataTable
        caption={title}
        heads={["Of it", "Visits", "Of all, %"]}
        rows={points.map((one) => [`${Math.round(one.at * 100)} %`, figure(one.count, "count"), figure(share(one.count), "percent")])}
      />
    </figure>
  );
}
