import { scaleLog } from "@visx/scale";

import { AXIS_TEXT, DATUM, DOT, GRID, TICK, WHISKER } from "@/charts/styles";

export type RatioScale = ReturnType<typeof scaleLog<number>>;

const TICKS = [1 / 50, 1 / 20, 1 / 10, 1 / 5, 1 / 2, 1, 2, 5, 10, 20, 50];
const WORDS: Record<number, string> = { [1 / 2]: "½" };
/** A scale reaches as far as the ratios do, within these bounds. */
const [LEAST, MOST] = [2, 50];
const ROOM = 26;

/** One logarithmic scale for ratios on both sides of *as often*. */
export function ratioScale(ratios: readonly (number | null)[], width: number): RatioScale {
  const known = ratios.filter((one) => one !== null && one > 0) as number[];
  const above = Math.min(Math.max(...known, LEAST) * 1.25, MOST);
  const below = Math.max(Math.min(...known, 1 / LEAST) / 1.25, 1 / MOST);
  return scaleLog({ domain: [below, above], range: [4, width - 4] });
}

const within = (scale: RatioScale) => {
  const [least = 1, most = 1] = scale.domain();
  return (ratio: number) => scale(Math.min(Math.max(ratio, least), most));
};

interface RatioMarkProps {
  ratio: number | null;
  low: number | null;
  high: number | null;
  scale: RatioScale;
  width: number;
  /** Whether it is told from chance. */
  isSure: boolean;
  height?: number;
}

/** How many times as often, from *as often* on, with its interval. */
export function RatioMark({ ratio, low, high, scale, width, isSure, height = 24 }: RatioMarkProps) {
  const y = height / 2;
  const x = within(scale);
  const [left = 0, right = width] = scale.range();
  return (
    <svg width={width} height={height} aria-hidden="true">
      <path className={GRID} d={`M${left} ${y}H${right}`} />
      <path className={DATUM} d={`M${x(1)} -.5V${height + 0.5}`} />
      {ratio !== null && ratio > 0 && isSure && <path className="stroke-teal [stroke-width:1.75]" d={`M${x(1)} ${y}H${x(ratio)}`} />}
      {(low !== null || high !== null) && (
        <path
          className={WHISKER}
          d={`M${low ? x(low) : left} ${y}H${high === null ? right : x(high)}${low ? `M${x(low)} ${y - 2.5}v5` : ""}${high === null ? "" : `M${x(high)} ${y - 2.5}v5`}`}
        />
      )}
      {ratio !== null && ratio > 0 && <circle className={isSure ? DOT : "fill-ink-2"} cx={x(ratio)} cy={y} r="3.5" />}
    </svg>
  );
}

/** The head of a column of ratios. */
export function RatioAxis({ scale, width }: { scale: RatioScale; width: number }) {
  const [least = 1, most = 1] = scale.domain();
  const ticks = TICKS.filter((at) => at >= least && at <= most);
  // *As often* is always named, and of the others those for which there is room.
  const named = ticks
    .filter((at) => at === 1 || Math.abs(scale(at) - scale(1)) > ROOM)
    .filter((at, i, all) => i === 0 || scale(at) - scale(all[i - 1] ?? at) > ROOM);
  return (
    <svg width={width} height="18" aria-hidden="true">
      {ticks.map((at) => (
        <g key={at}>
          <path className={TICK} d={`M${scale(at)} 14v4`} />
          {named.includes(at) && (
            <text className={AXIS_TEXT} x={scale(at)} y="11" textAnchor="middle">
              {at < 1 ? (WORDS[at] ?? `1/${Math.round(1 / at)}`) : at} ×
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}
