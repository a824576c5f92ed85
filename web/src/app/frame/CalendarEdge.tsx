import { scaleLinear } from "@visx/scale";
import { useRef, useState, type PointerEvent } from "react";

import type { Period } from "@/api/client";
import { dragged, partAt, type Grip } from "@/app/frame/dragging";
import { AXIS_TEXT } from "@/charts/styles";
import { useWidth } from "@/charts/useWidth";
import { samePeriod } from "@/state/address";
import { asDate, daysIn, plusDays, weekday } from "@/state/days";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { monthOf, periodWords, plural } from "@/words/format";

const DAYS = 396;
const Y = 12;
const H = 5;
/** A pointer that moved less than this has clicked, which does nothing. */
const SLACK = 3;

const CURSORS: Record<Grip["part"], string> = { first: "ew-resize", last: "ew-resize", middle: "grab", outside: "crosshair" };

/**
 * A chart's graduated border: thirteen months, a block a week, the period filled, versus hollow. Dragging one of its ends moves that end,
 * dragging its middle moves it, dragging elsewhere spans another.
 */
export function CalendarEdge() {
  const { site } = useSite();
  const { period, versusPeriod } = useView();
  const { setPeriod } = useSteering();
  const [box, width] = useWidth<HTMLDivElement>();
  const [drag, setDrag] = useState<Period | null>(null);
  const [part, setPart] = useState<Grip["part"]>("outside");
  const grip = useRef<(Grip & { x: number }) | null>(null);
  const first = plusDays(site.today, -DAYS);
  const x = scaleLinear({ domain: [0, DAYS + 1], range: [0, width] });
  const place = (day: string) => x(Math.min(Math.max(daysIn(first, day) - 1, 0), DAYS + 1));
  const band = ({ first: a, last: b }: Period) => [place(a), Math.max(place(plusDays(b, 1)) - place(a), 2)] as const;
  const at = (event: PointerEvent<SVGSVGElement>) => {
    const from = event.clientX - event.currentTarget.getBoundingClientRect().left;
    const [start, wide] = band(period);
    return { x: from, day: plusDays(first, Math.min(Math.max(Math.floor(x.invert(from)), 0), DAYS)), part: partAt(from, start, wide) };
  };
  const letGo = () => {
    grip.current = null;
    setDrag(null);
  };
  const shown = drag ?? period;
  const [px, pw] = band(shown);

  const blocks: number[] = [];
  const labels: [string, string][] = [];
  for (let i = 0; i <= DAYS; i++) {
    const day = plusDays(first, i);
    if (weekday(day) === 0) blocks.push(i);
    if (day.endsWith("-01"))
      labels.push([day, `${monthOf(asDate(day))}${day.slice(5, 7) === "01" || labels.length === 0 ? ` ${day.slice(0, 4)}` : ""}`]);
  }
  const room = width / 13 > 46;
  return (
    <div className="relative touch-none border-b border-ink-2 [grid-area:calendar]" ref={box} data-calendar>
      <svg
        width={width}
        height={17}
        style={{ cursor: CURSORS[grip.current?.part ?? part] }}
        role="img"
        aria-label={`The last thirteen months; the period is ${periodWords(shown)}. Drag to choose another, or use the period in the strip.`}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          grip.current = at(event);
        }}
        onPointerMove={(event) => {
          const now = at(event);
          if (!grip.current) return setPart(now.part);
          if (drag || Math.abs(now.x - grip.current.x) > SLACK) setDrag(dragged(period, grip.current, now.day, first, site.today));
        }}
        onPointerUp={() => {
          if (drag && !samePeriod(drag, period)) setPeriod(drag);
          letGo();
        }}
        onPointerCancel={letGo}
      >
        {blocks
          .filter((_, i) => i % 2 === 0)
          .map((i) => (
            <rect key={i} x={x(i)} y={Y} width={x(7) - x(0)} height={H} className="fill-hairline-firm" />
          ))}
        <path d={`M0 ${Y - 0.5}H${width}`} className="stroke-hairline-firm" />
        {labels.map(([day, name], i) => (
          <g key={day}>
            <path d={`M${place(day)} 3V${Y}`} className="stroke-hairline-firm" />
            {(room || i % 3 === 0) && (
              <text x={place(day) + 4} y={9.5} className={`${AXIS_TEXT} select-none`}>
                {name}
              </text>
            )}
          </g>
        ))}
        {versusPeriod && (
          <rect x={band(versusPeriod)[0]} y={Y - 0.5} width={band(versusPeriod)[1]} height={H} className="fill-paper stroke-ink-2" />
        )}
        <rect x={px} y={Y - 1} width={pw} height={H + 1} className="fill-magenta" />
      </svg>
      {drag && (
        <p
          role="status"
          className="absolute top-[18px] z-20 border border-ink-2 bg-sheet px-2 text-label leading-6 whitespace-nowrap"
          style={px + pw / 2 > width / 2 ? { right: Math.max(width - px - pw, 4) } : { left: Math.max(px, 4) }}
        >
          {periodWords(drag)} · {plural(daysIn(drag.first, drag.last), "day")}
        </p>
      )}
    </div>
  );
}
