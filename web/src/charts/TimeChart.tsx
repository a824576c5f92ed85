import { clsx } from "clsx";
import { localPoint } from "@visx/event";
import { scaleLinear } from "@visx/scale";
import { Area, LinePath } from "@visx/shape";
import { useId, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from "react";

import { isOverDays, named, type CoursePoint, type Step } from "@/charts/course";
import { DataTable } from "@/charts/DataTable";
import { Graduation } from "@/charts/Graduation";
import { AXIS_TEXT, END, GRID, LINE, SERIES, VERSUS_LINE } from "@/charts/styles";
import { usePoints } from "@/charts/usePoints";
import { useWidth } from "@/charts/useWidth";
import { figure } from "@/words/format";

/** Something that happened on a day: it stands over the chart. */
export interface Flag {
  at: string;
  text: string;
}

/** The same figure of a part that stands side by side with all. */
export interface Side {
  letter: string;
  name: string;
  values: (number | null)[];
}

interface TimeChartProps {
  /** What it shows, in words. */
  title: string;
  unit: string;
  bucket: Step;
  points: CoursePoint[];
  /** From this point on, the day is not over yet. */
  incompleteFrom?: number | undefined;
  /** What today has so far, where the period ends before it. */
  today?: number | null | undefined;
  versus: string | null;
  flags?: Flag[];
  sides?: Side[];
  height?: number;
  onTake?: (first: string, last: string) => void;
  /** Where a point leads, once it was clicked, or chosen with Enter. */
  ways?: (at: string, following: string) => ReactNode;
}

/** Whether a figure lies outside of what was expected. */
const isOutside = ({ now, expected }: CoursePoint): boolean =>
  now !== null && expected !== undefined && (now < expected.low || now > expected.high);

const LEFT = 34;
const TOP = 8;

/** The course over time: an ink line, versus dotted, what is not over yet hatched. Drag to take a period; arrows read point by point. */
export function TimeChart(props: TimeChartProps) {
  const { title, unit, bucket, points, incompleteFrom, today, versus, flags = [], sides = [], height = 208, onTake, ways } = props;
  const [box, width] = useWidth<HTMLDivElement>();
  const hatch = useId();
  const [from, setFrom] = useState<number | null>(null);
  // The point that was chosen stays, whatever is pointed at meanwhile.
  const [chosen, setChosen] = useState<string | null>(null);
  const last = points.length - 1;
  const bottom = height - 58;
  const extra = today !== undefined ? 36 : 0;
  const right = Math.max(width - 12 - extra, LEFT + 40);
  const highestBeside = Math.max(0, ...sides.flatMap((side) => side.values.map((one) => one ?? 0)));
  const highest = Math.max(highestBeside, ...points.map((point) => Math.max(point.now ?? 0, point.before ?? 0, point.expected?.high ?? 0)));
  const y = scaleLinear({ domain: [0, Math.max(highest, today ?? 0) || 1], range: [bottom, TOP], nice: 4 });
  const x = scaleLinear({ domain: [0, Math.max(last, 1)], range: [LEFT + 8, right - 8] });
  const step = x(1) - x(0);
  const nearest = (event: PointerEvent<SVGSVGElement>) =>
    Math.min(Math.max(Math.round(x.invert(localPoint(event.currentTarget, event)?.x ?? 0)), 0), last);
  const hatchFrom = incompleteFrom !== undefined ? x(incompleteFrom) - step / 2 : today !== undefined ? right : null;
  const steps = y.ticks(4).filter((tick) => unit !== "count" || Number.isInteger(tick));
  const overDays = isOverDays(points, bucket);
  const nameOf = (at: string) => (overDays ? `${named(at.slice(0, 10), "day")}, ${named(at, bucket)}` : named(at, bucket));
  const isBanded = points.some((point) => point.expected);
  const flagged = (point: CoursePoint) => flags.flatMap((flag) => (flag.at === point.at ? [flag.text] : [])).join(", ");
  const said = (point: CoursePoint) =>
    [
      `${nameOf(point.at)}: ${figure(point.now, unit)}`,
      versus && `${versus} ${figure(point.before, unit)}`,
      isOutside(point) && "unusual",
      point.expected && `expected ${figure(point.expected.low, unit)} to ${figure(point.expected.high, unit)}`,
      ...sides.map((side) => `${side.letter} ${figure(side.values[points.indexOf(point)], unit)}`),
      flagged(point),
    ]
      .filter(Boolean)
      .join(", ");
  const choose = (point: number) => setChosen(points[point]?.at ?? null);
  const { at, pointAt, away, slider } = usePoints({
    title,
    count: points.length,
    words: (point) => {
      const read = point === null ? undefined : points[point];
      return read ? said(read) : "Left and right read it point by point";
    },
    onTake: ways && choose,
  });
  const keyed = (event: KeyboardEvent) => {
    if (event.key !== "Escape" || chosen === null) return slider.onKeyDown(event);
    event.stopPropagation();
    setChosen(null);
  };
  const pinned = points.findIndex((point) => point.at === chosen);
  const place = at ?? (pinned < 0 ? null : pinned);
  const read = place === null ? undefined : points[place];
  const marked = from !== null && at !== null ? ([Math.min(from, at), Math.max(from, at)] as const) : null;
  return (
    <div className="relative" ref={box} data-chart>
      <svg
        className="cursor-crosshair touch-pan-y"
        width={width}
        height={height}
        {...slider}
        onKeyDown={keyed}
        onPointerMove={(event) => pointAt(nearest(event))}
        onPointerLeave={() => from === null && away()}
        onPointerDown={(event) => {
          if (!onTake || bucket === "hour") return;
          event.currentTarget.setPointerCapture(event.pointerId);
          setFrom(nearest(event));
        }}
        onPointerUp={() => {
          const [a, b] = marked ? [points[marked[0]], points[marked[1] + 1]] : [];
          if (marked && marked[0] !== marked[1] && a && onTake) onTake(a.at, b?.at ?? "");
          else if (ways && at !== null) choose(at);
          setFrom(null);
        }}
      >
        <defs>
          <pattern id={hatch} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <path d="M0 0V5" className="stroke-hairline-firm" strokeWidth="1.5" />
          </pattern>
        </defs>
        {steps.map((tick) => (
          <g key={tick}>
            <path className={GRID} d={`M${LEFT} ${Math.round(y(tick)) + 0.5}H${width}`} />
            <text className={AXIS_TEXT} x={LEFT - 7} y={y(tick) + 4} textAnchor="end">
              {unit === "percent" ? Math.round(tick * 1000) / 10 : figure(tick, unit)}
            </text>
          </g>
        ))}
        {hatchFrom !== null && (
          <rect x={hatchFrom} y={TOP} width={Math.max(width - hatchFrom, 0)} height={bottom - TOP} fill={`url(#${hatch})`} opacity=".7" />
        )}
        {isBanded && (
          <Area
            data={points}
            defined={(point) => point.expected !== undefined}
            x={(_, i) => x(i)}
            y0={(point) => y(point.expected?.low ?? 0)}
            y1={(point) => y(point.expected?.high ?? 0)}
            className="fill-sea-1"
          />
        )}
        {marked && (
          <rect
            className="fill-magenta opacity-15"
            x={x(marked[0]) - step / 2}
            y={TOP}
            width={(marked[1] - marked[0] + 1) * step}
            height={bottom - TOP}
          />
        )}
        {versus && (
          <LinePath
            data={points}
            defined={(point) => point.before !== null}
            x={(_, i) => x(i)}
            y={(point) => y(point.before ?? 0)}
            className={VERSUS_LINE}
          />
        )}
        <LinePath
          data={points}
          defined={(point) => point.now !== null}
          x={(_, i) => x(i)}
          y={(point) => y(point.now ?? 0)}
          className={LINE}
          strokeWidth={1.75}
          data-line
        />
        {sides.map(({ letter, values }, number) => {
          const end = values.findLastIndex((one) => one !== null);
          return (
            <g key={letter} data-side={letter}>
              <LinePath
                data={values}
                defined={(one) => one !== null}
                x={(_, i) => x(i)}
                y={(one) => y(one ?? 0)}
                className={clsx("fill-none", SERIES[number]?.line)}
                strokeWidth={1.5}
              />
              {end >= 0 && (
                <text
                  className={clsx("font-serif text-small font-semibold", SERIES[number]?.text)}
                  x={x(end) + 6}
                  y={y(values[end] ?? 0) + 4}
                >
                  {letter}
                </text>
              )}
            </g>
          );
        })}
        {points.map((point, i) =>
          isOutside(point) && !(incompleteFrom !== undefined && i >= incompleteFrom) ? (
            <circle
              key={point.at}
              data-outside
              className="fill-none stroke-rust-mark [stroke-width:1.5]"
              cx={x(i)}
              cy={y(point.now ?? 0)}
              r="6.5"
            />
          ) : null,
        )}
        {points.length === 1 && points[0]?.now != null && <circle className={END} cx={x(0)} cy={y(points[0].now)} r="3" />}
        {today != null && extra > 0 && (
          <circle className="fill-sheet stroke-ink [stroke-width:1.5]" cx={right + extra / 2} cy={y(today)} r="3.5" />
        )}
        {flags.map((flag) => {
          const of = points.findIndex((point) => point.at === flag.at);
          return of < 0 ? null : (
            <path
              key={`${flag.at} ${flag.text}`}
              className="fill-magenta stroke-magenta"
              d={`M${Math.round(x(of)) + 0.5} ${bottom}V${TOP - 6}l7 3l-7 3`}
            />
          );
        })}
        <Graduation points={points} bucket={bucket} x={x} step={step} start={LEFT} y={bottom + 8} end={right} />
        {extra > 0 && (
          <text className={AXIS_TEXT} x={width} y={bottom + 26} textAnchor="end">
            today
          </text>
        )}
        {read && place !== null && (
          <g>
            <path className="stroke-ink-2 [stroke-dasharray:2_2]" d={`M${Math.round(x(place)) + 0.5} ${TOP}V${bottom}`} />
            {read.now !== null && <circle className={END} cx={x(place)} cy={y(read.now)} r="3" />}
          </g>
        )}
      </svg>
      <p className="absolute left-[34px] text-label" style={{ top: height - 16 }} data-said>
        {read ? said(read) : " "}
      </p>
      {chosen !== null && pinned >= 0 && ways && (
        <p className="flex flex-wrap gap-x-3.5 pt-1 pl-[34px] text-label">{ways(chosen, points[pinned + 1]?.at ?? "")}</p>
      )}
      <DataTable
        caption={title}
        heads={[
          "When",
          "Now",
          ...sides.map((side) => side.name),
          ...(versus ? [versus] : []),
          ...(isBanded ? ["Expected"] : []),
          ...(flags.length ? ["Noted"] : []),
        ]}
        rows={points.map((point) => [
          nameOf(point.at),
          figure(point.now, unit),
          ...sides.map((side) => figure(side.values[points.indexOf(point)], unit)),
          ...(versus ? [figure(point.before, unit)] : []),
          ...(isBanded ? [point.expected ? `${figure(point.expected.low, unit)} to ${figure(point.expected.high, unit)}` : ""] : []),
          ...(flags.length ? [flagged(point)] : []),
        ])}
      />
    </div>
  );
}
