import { max } from "d3-array";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { useId, useState, type KeyboardEvent, type PointerEvent } from "react";

import { useWidth } from "@/pieces/useWidth";
import { weekday } from "@/state/days";
import { figure, shortDay, weekdayOf } from "@/words/format";

export interface CoursePoint {
  at: string;
  now: number | null;
  before: number | null;
}

export type Step = "hour" | "day" | "week" | "month";

interface TimeChartProps {
  title: string;
  unit: string;
  bucket: Step;
  points: CoursePoint[];
  /** From this point on, the day is not over yet. */
  incompleteFrom?: number | undefined;
  /** What today has so far, where the period ends before it. */
  today?: number | null | undefined;
  versus: string | null;
  height?: number;
  onTake?: (first: string, last: string) => void;
}

const LEFT = 34;
const TOP = 8;

const named = (at: string, bucket: Step): string =>
  bucket === "hour" ? at.slice(11, 16) : bucket === "day" ? weekdayOf(at) : bucket === "week" ? `week of ${shortDay(at)}` : shortDay(at);

/** The course over time: an ink line, versus dotted, what is not over yet hatched. Drag to take a period; arrows read point by point. */
export function TimeChart(given: TimeChartProps) {
  const { title, unit, bucket, points, incompleteFrom, today, versus, height = 208, onTake } = given;
  const [box, width] = useWidth<HTMLDivElement>();
  const hatch = useId();
  const [at, setAt] = useState<number | null>(null);
  const [from, setFrom] = useState<number | null>(null);
  const bottom = height - 58;
  const extra = today !== undefined ? 36 : 0;
  const right = Math.max(width - 12 - extra, LEFT + 40);
  const highest = max(points, (point) => Math.max(point.now ?? 0, point.before ?? 0)) ?? 0;
  const y = scaleLinear([0, Math.max(highest, today ?? 0) || 1], [bottom, TOP]).nice(4);
  const x = scaleLinear([0, Math.max(points.length - 1, 1)], [LEFT + 8, right - 8]);
  const step = x(1) - x(0);
  const course = (pick: (point: CoursePoint) => number | null) =>
    line<CoursePoint>()
      .defined((point) => pick(point) !== null)
      .x((_, i) => x(i))
      .y((point) => y(pick(point) ?? 0))(points) ?? "";
  const nearest = (event: PointerEvent<SVGSVGElement>) =>
    Math.min(Math.max(Math.round(x.invert(event.clientX - event.currentTarget.getBoundingClientRect().left)), 0), points.length - 1);
  const hatchFrom = incompleteFrom !== undefined ? x(incompleteFrom) - step / 2 : today !== undefined ? right : null;
  const steps = y.ticks(4).filter((tick) => unit !== "count" || Number.isInteger(tick));

  const moved = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    setAt((value) => Math.min(Math.max((value ?? (by > 0 ? -1 : points.length)) + by, 0), points.length - 1));
  };
  const read = at === null ? undefined : points[at];
  const message = read && `${named(read.at, bucket)}: ${figure(read.now, unit)}${versus ? `, ${versus} ${figure(read.before, unit)}` : ""}`;
  const marked = from !== null && at !== null ? ([Math.min(from, at), Math.max(from, at)] as const) : null;

  return (
    <div className="time" ref={box}>
      <svg
        width={width}
        height={height}
        role="application"
        aria-label={`${title}; left and right read it point by point`}
        tabIndex={0}
        onKeyDown={moved}
        onBlur={() => setAt(null)}
        onPointerMove={(event) => setAt(nearest(event))}
        onPointerLeave={() => from === null && setAt(null)}
        onPointerDown={(event) => {
          if (!onTake || bucket === "hour") return;
          event.currentTarget.setPointerCapture(event.pointerId);
          setFrom(nearest(event));
        }}
        onPointerUp={() => {
          const [a, b] = marked ? [points[marked[0]], points[marked[1] + 1]] : [];
          if (marked && marked[0] !== marked[1] && a && onTake) onTake(a.at, b?.at ?? "");
          setFrom(null);
        }}
      >
        <defs>
          <pattern id={hatch} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <path d="M0 0V5" stroke="var(--color-hairline-firm)" strokeWidth="1.5" />
          </pattern>
        </defs>
        {steps.map((tick) => (
          <g key={tick}>
            <path className="grid" d={`M${LEFT} ${Math.round(y(tick)) + 0.5}H${width}`} />
            <text className="axis-text" x={LEFT - 7} y={y(tick) + 4} textAnchor="end">
              {unit === "percent" ? Math.round(tick * 1000) / 10 : figure(tick, unit)}
            </text>
          </g>
        ))}
        {hatchFrom !== null && (
          <rect x={hatchFrom} y={TOP} width={Math.max(width - hatchFrom, 0)} height={bottom - TOP} fill={`url(#${hatch})`} opacity=".7" />
        )}
        {marked && (
          <rect className="taken" x={x(marked[0]) - step / 2} y={TOP} width={(marked[1] - marked[0] + 1) * step} height={bottom - TOP} />
        )}
        {versus && <path className="line-versus" d={course((point) => point.before)} />}
        <path className="line" d={course((point) => point.now)} />
        {points.length === 1 && points[0]?.now != null && <circle className="end" cx={x(0)} cy={y(points[0].now)} r="3" />}
        {today != null && extra > 0 && <circle className="so-far" cx={right + extra / 2} cy={y(today)} r="3.5" />}
        <Graduation points={points} bucket={bucket} x={x} step={step} y={bottom + 8} end={right} />
        {extra > 0 && (
          <text className="axis-text" x={width} y={bottom + 26} textAnchor="end">
            today
          </text>
        )}
        {read && at !== null && (
          <g>
            <path className="reading" d={`M${Math.round(x(at)) + 0.5} ${TOP}V${bottom}`} />
            {read.now !== null && <circle className="end" cx={x(at)} cy={y(read.now)} r="3" />}
          </g>
        )}
      </svg>
      <p className="said" aria-live="polite">
        {message ?? " "}
      </p>
    </div>
  );
}

/** The graduated edge under a chart: one block a week, or a step where the chart is not by day. */
function Graduation({
  points,
  bucket,
  x,
  step,
  y,
  end,
}: {
  points: CoursePoint[];
  bucket: Step;
  x: (i: number) => number;
  step: number;
  y: number;
  end: number;
}) {
  const starts = points.flatMap((point, i) =>
    i === 0 || (bucket === "day" ? weekday(point.at) === 0 : bucket === "hour" ? i % 6 === 0 : true) ? [i] : [],
  );
  const every = Math.ceil((starts.length * 84) / Math.max(end - LEFT, 1));
  return (
    <g>
      {starts.map((i, n) => {
        const from = n === 0 ? LEFT : x(i) - step / 2;
        const following = starts[n + 1];
        const to = following === undefined ? end : x(following) - step / 2;
        return (
          <g key={i}>
            <rect className={n % 2 ? "graduation hollow" : "graduation"} x={from} y={y} width={Math.max(to - from, 1)} height={5} />
            {n % every === 0 && to - from > (every > 1 ? 0 : 60) && (
              <text className="axis-text" x={from} y={y + 18}>
                {named(points[i]?.at ?? "", bucket)}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}
