import { scaleLinear } from "@visx/scale";

import { DOT, GRID, VERSUS_DOT, WHISKER } from "@/charts/styles";

interface PairMarkProps {
  /** A share, and what it is held against. */
  now: number;
  against: number;
  /** The top of the scale, where rows share one. */
  top?: number;
  width?: number;
  /** The interval of the share. */
  interval?: { low: number; high: number } | undefined;
}

const ROOM = 6;

/** Two shares of one thing: a dot and a ring, joined by a line. What they are stands beside them in words. */
export function PairMark({ now, against, top, width = 80, interval }: PairMarkProps) {
  const x = scaleLinear({ domain: [0, (top ?? Math.max(now, against)) || 1], range: [ROOM, width - ROOM] });
  return (
    <svg width={width} height="14" aria-hidden="true">
      <path className={GRID} d={`M${ROOM} 7H${width - ROOM}`} />
      {interval && <path className={WHISKER} d={`M${x(interval.low)} 4.5v5M${x(interval.low)} 7H${x(interval.high)}m0 -2.5v5`} />}
      <path className="stroke-ink-2" d={`M${x(now)} 7H${x(against)}`} />
      <circle className={VERSUS_DOT} cx={x(against)} cy="7" r="4.75" />
      <circle className={DOT} cx={x(now)} cy="7" r="3.25" />
    </svg>
  );
}
