import { scaleLinear } from "@visx/scale";

import { figure } from "@/words/format";

interface JoinedDotsProps {
  /** The figures of one row, a series each, with what the series is called. */
  values: { name: string; value: number | null }[];
  unit: string;
  /** The top of the scale that all rows share. */
  top: number;
  width?: number;
  height?: number;
}

const SERIES = [
  "fill-series-1",
  "fill-series-2",
  "fill-series-3",
  "fill-series-4",
  "fill-series-5",
  "fill-series-6",
  "fill-series-7",
  "fill-series-8",
];

/** Several figures of one row on a common scale, joined by a line: where they agree it is short. */
export function JoinedDots({ values, unit, top, width = 180, height = 24 }: JoinedDotsProps) {
  const x = scaleLinear({ domain: [0, top || 1], range: [5, width - 5] });
  const known = values.flatMap(({ value }, place) => (value === null ? [] : [{ value, place }]));
  const places = known.map(({ value }) => x(value));
  return (
    <svg width={width} height={height} role="img" aria-label={values.map(({ name, value }) => `${name} ${figure(value, unit)}`).join(", ")}>
      {known.length > 1 && <path className="stroke-ink-2" d={`M${Math.min(...places)} ${height / 2}H${Math.max(...places)}`} />}
      {known.map(({ value, place }) => (
        <circle key={place} className={SERIES[place % SERIES.length]} cx={x(value)} cy={height / 2} r="3.25" />
      ))}
    </svg>
  );
}
