import { scaleLinear } from "d3-scale";
import { useRef, useState, type PointerEvent } from "react";

import type { Period } from "@/api/client";
import { useWidth } from "@/pieces/useWidth";
import { asDate, daysIn, plusDays, weekday } from "@/state/days";
import { useView } from "@/state/view";
import { periodWords } from "@/words/format";

const DAYS = 396;
const Y = 12;
const H = 5;
const month = new Intl.DateTimeFormat("en-GB", { month: "short", timeZone: "UTC" });

/** A chart's graduated border: thirteen months, a block a week, the period filled, versus hollow. Dragging on it sets the period. */
export function CalendarEdge() {
  const { site, period, versusPeriod, setPeriod } = useView();
  const [box, width] = useWidth<HTMLDivElement>();
  const [drag, setDrag] = useState<Period | null>(null);
  const from = useRef<string | null>(null);
  const first = plusDays(site.today, -DAYS);
  const x = scaleLinear([0, DAYS + 1], [0, width]);
  const place = (day: string) => x(Math.min(Math.max(daysIn(first, day) - 1, 0), DAYS + 1));
  const dayAt = (event: PointerEvent<SVGSVGElement>) => {
    const left = event.currentTarget.getBoundingClientRect().left;
    return plusDays(first, Math.min(Math.max(Math.floor(x.invert(event.clientX - left)), 0), DAYS));
  };
  const spanned = (to: string): Period => {
    const start = from.current ?? to;
    return start <= to ? { first: start, last: to } : { first: to, last: start };
  };
  const shown = drag ?? period;
  const band = ({ first: a, last: b }: Period) => [place(a), Math.max(place(plusDays(b, 1)) - place(a), 2)] as const;
  const [px, pw] = band(shown);

  const blocks: number[] = [];
  const labels: [string, string][] = [];
  for (let i = 0; i <= DAYS; i++) {
    const day = plusDays(first, i);
    if (weekday(day) === 0) blocks.push(i);
    if (day.endsWith("-01"))
      labels.push([day, `${month.format(asDate(day))}${day.slice(5, 7) === "01" || labels.length === 0 ? ` ${day.slice(0, 4)}` : ""}`]);
  }
  const room = width / 13 > 46;
  return (
    <div className="calendar" ref={box}>
      <svg
        width={width}
        height={17}
        role="img"
        aria-label={`The last thirteen months; the period is ${periodWords(shown)}. Drag to choose another, or use the period in the strip.`}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          from.current = dayAt(event);
          setDrag(spanned(from.current));
        }}
        onPointerMove={(event) => from.current && setDrag(spanned(dayAt(event)))}
        onPointerUp={() => {
          if (drag) setPeriod(drag);
          from.current = null;
          setDrag(null);
        }}
        onPointerCancel={() => {
          from.current = null;
          setDrag(null);
        }}
      >
        {blocks
          .filter((_, i) => i % 2 === 0)
          .map((i) => (
            <rect key={i} x={x(i)} y={Y} width={x(7) - x(0)} height={H} className="block" />
          ))}
        <path d={`M0 ${Y - 0.5}H${width}`} className="edge" />
        {labels.map(([day, name], i) => (
          <g key={day}>
            <path d={`M${place(day)} 3V${Y}`} className="edge" />
            {(room || i % 3 === 0) && (
              <text x={place(day) + 4} y={9.5} className="axis-text">
                {name}
              </text>
            )}
          </g>
        ))}
        {versusPeriod && <rect x={band(versusPeriod)[0]} y={Y - 0.5} width={band(versusPeriod)[1]} height={H} className="held-against" />}
        <rect x={px} y={Y - 1} width={pw} height={H + 1} className="chosen" />
      </svg>
    </div>
  );
}
