import { scaleSqrt } from "@visx/scale";
import { useState, type KeyboardEvent, type PointerEvent } from "react";

import { DataTable } from "@/charts/DataTable";
import { AXIS_TEXT, DOT, GRID } from "@/charts/styles";
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
  const [at, setAt] = useState<[number, number] | null>(null);
  const step = Math.max((width - LEFT) / columns.length, 1);
  const radius = scaleSqrt({ domain: [0, most || 1], range: [0, Math.min(step, ROW) / 2 - 1] });
  const x = (place: number) => LEFT + (place + 0.5) * step;
  const y = (place: number) => TOP + (place + 0.5) * ROW;
  const height = TOP + rows.length * ROW;
  const here = at && { row: rows[at[0]] ?? "", column: columns[at[1]] ?? "" };
  const bounded = (row: number, column: number): [number, number] => [
    Math.min(Math.max(row, 0), rows.length - 1),
    Math.min(Math.max(column, 0), columns.length - 1),
  ];
  const moved = (event: KeyboardEvent) => {
    const [row, column] = at ?? [0, 0];
    const to: Record<string, [number, number]> = {
      ArrowLeft: [row, column - 1],
      ArrowRight: [row, column + 1],
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
    };
    if (event.key === "Enter" && here) {
      event.preventDefault();
      onTake(here.row, here.column);
      return;
    }
    const go = to[event.key];
    if (!go) return;
    event.preventDefault();
    setAt(at ? bounded(...go) : [0, 0]);
  };
  const pointed = (event: PointerEvent<SVGSVGElement>) => {
    const { left, top } = event.currentTarget.getBoundingClientRect();
    setAt(bounded(Math.floor((event.clientY - top - TOP) / ROW), Math.floor((event.clientX - left - LEFT) / step)));
  };
  return (
    <div className="relative" ref={box} data-chart>
      <svg
        className="cursor-pointer"
        width={width}
        height={height}
        role="slider"
        aria-label={title}
        aria-valuemin={0}
        aria-valuemax={rows.length * columns.length - 1}
        aria-valuenow={at ? at[0] * columns.length + at[1] : 0}
        aria-valuetext={here ? words(here.row, here.column) : "The arrow keys read it place by place, Enter takes one"}
        tabIndex={0}
        onKeyDown={moved}
        onBlur={() => setAt(null)}
        onPointerMove={pointed}
        onPointerLeave={() => setAt(null)}
        onClick={() => here && onTake(here.row, here.column)}
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
        {at && <rect className="fill-none stroke-magenta" x={x(at[1]) - step / 2} y={y(at[0]) - ROW / 2} width={step} height={ROW} />}
      </svg>
      <p className="min-h-5 text-label" data-said>
        {here ? words(here.row, here.column) : ""}
      </p>
      <DataTable
        caption={title}
        heads={["Of", ...columns]}
        rows={rows.map((row) => [row, ...columns.map((column) => String(value(row, column)))])}
      />
    </div>
  );
}
