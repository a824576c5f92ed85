import { scaleLinear } from "@visx/scale";

import { DOT, GRID, VERSUS_DOT } from "@/charts/styles";

interface PairMarkProps {
  /** A share, and what it is held against. */
  now: number;
  against: number;
  /** The top of the scale, where rows share one. */
  top?: number;
  width?: number;
}

const ROOM = 6;

/** Two shares of one thing: a dot and a ring, joined by a line. What they are stands beside them in words. */
export function PairMark({ now, against, top, width = 80 }: PairMarkProps) {
  const x = scaleLinear({ domain: [0, (top ?? Math.max(now, against)) || 1], range: [ROOM, width - ROOM] });
  return (
    <svg width={width} height="14" aria-hidden="true">
      <path className={GRID} d={`M${ROOM} 7H${width - ROOM}`} />
      <path className="stroke-ink-2" d={`M${x(now)} 7H${x(against)}`} />
      <circle className={VERSUS_DOT} cx={x(against)} cy="7" r="4.75" />
      <circle className={DOT} cx={x(now)} cy="7" r="3.25" />
    </svg>
  );
}
