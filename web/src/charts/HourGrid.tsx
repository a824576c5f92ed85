import { scaleSqrt } from "@visx/scale";
import type { PointerEvent } from "react";

import { DataTable } from "@/charts/DataTable";
import { AXIS_TEXT, DOT, GRID } from "@/charts/styles";
import { usePoints } from "@/charts/usePoints";
import { useWidth } from "@/charts/useWidth";

const LEFT = 34;
const TOP = 16;
const ROW = 24;

interface HourGridProps {
  title: string;
  rows: readonly string[];
  columns: readonly string[];
  value: (row: string, column: string) => number;
  most: number;
  /** A place as it is read. */
  words: (row: string, column: string) => string;
  onTake: (row: string, column: string) => void;
}

/** How much lies at each crossing of two scales, as dots by their area. Arrows read it dot by dot, Enter takes one. */
export function HourGrid({ title, rows, columns, value, most, words, onTake }: HourGridProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const of = (place: number): [string, string] => [rows[Math.floor(place / columns.length)] ?? "", columns[place % columns.length] ?? ""];
  const { at, pointAt, away, slider } = usePoints({
    title,
    count: rows.length * columns.length,
    across: columns.length,
    words: (place) => (place === null ? "The arrow keys read it place by place, Enter takes one" : words(...of(place))),
    onTake: (place) => onTake(...of(place)),
  });
  const step = Math.max((width - LEFT) / columns.length, 1);
  const radius = scaleSqrt({ domain: [0, most || 1], range: [0, Math.min(step, ROW) / 2 - 1] });
  const x = (place: number) => LEFT + (place + 0.5) * step;
  const y = (place: number) => TOP + (place + 0.5) * ROW;
  const height = TOP + rows.length * ROW;
  const bounded = (place: number, count: number) => Math.min(Math.max(place, 0), count - 1);
  const pointed = (event: PointerEvent<SVGSVGElement>) => {
    const { left, top } = event.currentTarget.getBoundingClientRect();
    const row = bounded(Math.floor((event.clientY - top - TOP) / ROW), rows.length);
    pointAt(row * columns.length + bounded(Math.floor((event.clientX - left - LEFT) / step), columns.length));
  };
  return (
    <div className="relative" ref={box} data-chart>
      <svg
        className="cursor-pointer"
        width={width}
        height={height}
        {...slider}
        onPointerMove={pointed}
        onPointerLeave={away}
        onClick={() => at !== null && onTake(...of(at))}
      >
        {columns.map((column, place) =>
          place % 3 === 0 ? (
            <text key={column} className={AXIS_TEXT} x={x(place)} y={10} textAnchor="middle">
              {column}
            </text>
          ) : null,
        )}
        {rows.map((row, place) => (
          <g key={row}>
            <text className={AXIS_TEXT} x={LEFT - 7} y={y(place) + 4} textAnchor="end">
              {row.slice(0, 3)}
            </text>
            <path className={GRID} d={`M${LEFT} ${y(place)}H${width}`} />
            {columns.map((column, hour) => {
              const amount = value(row, column);
              return amount > 0 && <circle key={column} className={DOT} cx={x(hour)} cy={y(place)} r={Math.max(radius(amount), 0.75)} />;
            })}
          </g>
        ))}
        {at !== null && (
          <rect
            className="fill-none stroke-magenta"
            x={x(at % columns.length) - step / 2}
            y={y(Math.floor(at / columns.length)) - ROW / 2}
            width={step}
            height={ROW}
          />
        )}
      </svg>
      <p className="min-h-5 text-label" data-said>
        {at === null ? "" : words(...of(at))}
      </p>
      <DataTable
        caption={title}
        heads={["Of", ...columns]}
        rows={rows.map((row) => [row, ...columns.map((column) => String(value(row, column)))])}
      />
    </div>
  );
}
