import { scaleBand, scaleLinear } from "@visx/scale";
import { Bar } from "@visx/shape";

import { DataTable } from "@/charts/DataTable";
import { AXIS_TEXT } from "@/charts/styles";
import { usePoints } from "@/charts/usePoints";
import { useWidth } from "@/charts/useWidth";
import { figure } from "@/words/format";

export interface Amount {
  name: string;
  value: number;
}

interface BarsProps {
  /** What it shows, in words. */
  title: string;
  unit: string;
  amounts: Amount[];
}

const ROW = 24;
const NAMES = 150;
const FIGURES = 64;

/** Amounts side by side, each with its name and its figure. Up and down read one after the other. */
export function Bars({ title, unit, amounts }: BarsProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const x = scaleLinear({
    domain: [0, Math.max(...amounts.map((one) => one.value), 0) || 1],
    range: [0, Math.max(width - NAMES - FIGURES, 20)],
  });
  const y = scaleBand({ domain: amounts.map((_, place) => place), range: [0, amounts.length * ROW], padding: 0.35 });
  const { at, pointAt, away, slider } = usePoints({
    title,
    count: amounts.length,
    across: 1,
    words: (place) => {
      const read = place === null ? undefined : amounts[place];
      return read ? `${read.name}: ${figure(read.value, unit)}` : "Up and down read it one by one";
    },
  });
  return (
    <figure ref={box} className="min-w-0">
      <figcaption className="text-label text-ink-2">{title}</figcaption>
      <svg width={width} height={amounts.length * ROW} {...slider} onPointerLeave={away}>
        {amounts.map(({ name, value }, place) => {
          const middle = (y(place) ?? 0) + y.bandwidth() / 2 + 4;
          return (
            <g key={place} onPointerMove={() => pointAt(place)}>
              {at === place && (
                <rect className="fill-none stroke-magenta" x="0.5" y={place * ROW + 0.5} width={Math.max(width - 1, 0)} height={ROW - 1} />
              )}
              <text className="fill-ink text-label" x={0} y={middle}>
                {name.length > 22 ? `${name.slice(0, 21)}…` : name}
              </text>
              <Bar className="fill-teal" x={NAMES} y={y(place) ?? 0} width={Math.max(x(value), 1)} height={y.bandwidth()} />
              <text className={AXIS_TEXT} x={NAMES + x(value) + 6} y={middle}>
                {figure(value, unit)}
              </text>
            </g>
          );
        })}
      </svg>
      <DataTable caption={title} heads={["Name", "Figure"]} rows={amounts.map((one) => [one.name, figure(one.value, unit)])} />
    </figure>
  );
}
