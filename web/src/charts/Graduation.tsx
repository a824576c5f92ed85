import type { CoursePoint, Step } from "@/charts/course";
import { isOverDays, named } from "@/charts/course";
import { AXIS_TEXT } from "@/charts/styles";
import { weekday } from "@/state/days";

interface GraduationProps {
  points: CoursePoint[];
  bucket: Step;
  x: (i: number) => number;
  step: number;
  start: number;
  y: number;
  end: number;
}

/** How wide a name is at most; where two would meet, the later one is left out. */
const NAME = 74;

/** The graduated edge under a chart: one block a week, a day where hours go over several, or a step. */
export function Graduation({ points, bucket, x, step, start, y, end }: GraduationProps) {
  const overDays = isOverDays(points, bucket);
  const begins = (at: string, i: number): boolean => {
    if (bucket === "day") return weekday(at) === 0;
    if (bucket === "hour") return overDays ? at.slice(11, 13) === "00" : i % 6 === 0;
    return true;
  };
  const starts = points.flatMap(({ at }, i) => (i === 0 || begins(at, i) ? [i] : []));
  const blocks = starts.map((i, n) => {
    const following = starts[n + 1];
    const from = n === 0 ? start : x(i) - step / 2;
    return { i, from, to: following === undefined ? end : x(following) - step / 2 };
  });
  let free = -Infinity;
  const isNamed = blocks.map(({ from }) => {
    if (from < free || from + NAME > end + 8) return false;
    free = from + NAME;
    return true;
  });
  return (
    <g>
      {blocks.map(({ i, from, to }, n) => (
        <g key={i}>
          <rect
            className={n % 2 ? "fill-sheet stroke-ink-2" : "fill-ink-2 stroke-ink-2"}
            x={from}
            y={y}
            width={Math.max(to - from, 1)}
            height={5}
          />
          {isNamed[n] && (
            <text className={AXIS_TEXT} x={from} y={y + 18}>
              {overDays ? named(points[i]?.at.slice(0, 10) ?? "", "day") : named(points[i]?.at ?? "", bucket)}
            </text>
          )}
        </g>
      ))}
    </g>
  );
}
