import { scaleLinear } from "@visx/scale";
import { LinePath } from "@visx/shape";

import { END, LINE } from "@/charts/styles";

interface SparklineProps {
  values: (number | null)[];
  width?: number;
  height?: number;
}

/** The course of a figure in small; gaps where there is none. What it shows stands beside it in figures. */
export function Sparkline({ values, width = 100, height = 22 }: SparklineProps) {
  const x = scaleLinear({ domain: [0, Math.max(values.length - 1, 1)], range: [2, width - 2] });
  const y = scaleLinear({ domain: [0, Math.max(...values.map((one) => one ?? 0), 0) || 1], range: [height - 2, 2] });
  const last = values.at(-1);
  return (
    <svg width={width} height={height} aria-hidden="true">
      <LinePath
        data={values}
        defined={(one) => one !== null}
        x={(_, i) => x(i)}
        y={(one) => y(one ?? 0)}
        className={LINE}
        strokeWidth={1.25}
      />
      {last != null && <circle cx={x(values.length - 1)} cy={y(last)} r="2.25" className={END} />}
    </svg>
  );
}
