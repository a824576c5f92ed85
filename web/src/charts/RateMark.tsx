import type { scaleLinear } from "@visx/scale";

import { AXIS_TEXT, DATUM, DOT, GRID, TICK, VERSUS_DOT, WHISKER } from "@/charts/styles";

export type Scale = ReturnType<typeof scaleLinear<number>>;

export interface Rate {
  now: number | null | undefined;
  before: number | null | undefined;
  low: number | null | undefined;
  high: number | null | undefined;
}

/** A share on a common scale: a dot for now, a ring for versus, a whisker for the interval, a dotted line for the rate of all. */
export function RateMark({
  rate,
  all,
  scale,
  width,
  height = 24,
}: {
  rate: Rate;
  all: number | null;
  scale: Scale;
  width: number;
  height?: number;
}) {
  const y = height / 2;
  const [left, right] = scale.range() as [number, number];
  const top = scale.domain()[1] ?? 1;
  const x = (share: number) => scale(Math.min(share, top));
  const { now, before, low, high } = rate;
  const known = now !== null && now !== undefined;
  return (
    <svg width={width} height={height} aria-hidden="true">
      <path
        className={GRID}
        d={`M${left} ${y}H${right}${scale
          .ticks(3)
          .map((at) => `M${scale(at)} ${y - 2}v4`)
          .join("")}`}
      />
      {all !== null && all <= top && <path className={DATUM} d={`M${scale(all)} -.5V${height + 0.5}`} />}
      {known && low != null && high != null && (
        <path className={WHISKER} d={`M${x(low)} ${y - 2.5}v5M${x(low)} ${y}H${x(high)}${high > top ? "l-3 -3m3 3l-3 3" : "m0 -2.5v5"}`} />
      )}
      {before != null && <circle className={VERSUS_DOT} cx={x(before)} cy={y} r="4.75" />}
      {known && <circle className={DOT} cx={x(now)} cy={y} r="3.25" />}
    </svg>
  );
}

/** The head of a column of rates: its axis, and where all visits stand. */
export function RateAxis({ all, scale, width }: { all: number | null; scale: Scale; width: number }) {
  const top = scale.domain()[1] ?? 1;
  const ticks = scale.ticks(3).filter((at) => all === null || all > top || Math.abs(scale(at) - scale(all)) > 13);
  return (
    <svg width={width} height="18" aria-hidden="true">
      {scale.ticks(3).map((at) => (
        <path key={at} className={TICK} d={`M${scale(at)} 14v4`} />
      ))}
      {ticks.map((at) => (
        <text key={at} className={AXIS_TEXT} x={scale(at)} y="11" textAnchor="middle">
          {Math.round(at * 1000) / 10}
        </text>
      ))}
      {all !== null && all <= top && (
        <>
          <text className={AXIS_TEXT} x={scale(all)} y="11" textAnchor="middle">
            all
          </text>
          <path className={TICK} d={`M${scale(all)} 14v4`} />
        </>
      )}
    </svg>
  );
}
