import { max } from "d3-array";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";

/** The course of a figure in small; gaps where there is none. */
export function Sparkline({ values, width = 100, height = 22 }: { values: (number | null)[]; width?: number; height?: number }) {
  const x = scaleLinear([0, Math.max(values.length - 1, 1)], [2, width - 2]);
  const y = scaleLinear([0, max(values, (one) => one ?? 0) || 1], [height - 2, 2]);
  const path = line<number | null>()
    .defined((one) => one !== null)
    .x((_, i) => x(i))
    .y((one) => y(one ?? 0))(values);
  const last = values.at(-1);
  return (
    <svg width={width} height={height} aria-hidden="true">
      {path && <path className="line thin" d={path} />}
      {last != null && <circle cx={x(values.length - 1)} cy={y(last)} r="2.25" className="end" />}
    </svg>
  );
}
