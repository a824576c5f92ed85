import { useMemo, useRef, type KeyboardEvent } from "react";

import { band, placed, type PlacedPoint } from "@/charts/pathLayout";
import { PathNodeButton } from "@/views/explain/paths/PathNodeButton";
import type { Centre, PathNode, Side } from "@/views/explain/paths/tree";
import type { usePaths } from "@/views/explain/paths/usePaths";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { FigureButton } from "@/ledger/FigureButton";
import { Button } from "@/ui/Button";
import { figure, shareWords, valueWords } from "@/words/format";
import { columnName } from "@/words/paths";

const COLUMN = 182;
const BETWEEN = 32;
const MIDDLE = 96;
const BAR = 6;
const HEIGHT = 380;
const HEAD = 52;
const MIN_MIDDLE = 130;

interface PathChartProps {
  paths: ReturnType<typeof usePaths>;
  forward: PathNode[];
  backward: PathNode[];
  centre: Centre;
  all: { visits: number; converted: number; before?: number | null };
  /** What who reached the goal did, in a word. */
  did: string;
}

interface Drawn {
  one: PlacedPoint<PathNode>;
  /** Its left edge, and that of its bar. */
  x: number;
  barX: number;
}

/** The ways on either side of the centre: columns of nodes, bands between them, heights true to visits. */
export function PathChart({ paths, forward, backward, centre, all, did }: PathChartProps) {
  const openUp = useOpenUp();
  const box = useRef<HTMLDivElement>(null);
  const { nodes, width, height, middleX, middleTop, middleHeight } = useMemo(
    () => drawn(forward, backward, all.visits),
    [forward, backward, all.visits],
  );
  const unit = all.visits ? HEIGHT / all.visits : 0;
  const focus = (id: string | undefined) =>
    box.current?.querySelectorAll<HTMLElement>("[data-node]").forEach((one) => one.dataset["node"] === id && one.focus());
  const walk = (event: KeyboardEvent, from: Drawn) => {
    const next = stepTo(nodes, from, event.key);
    if (next === undefined) return false;
    event.preventDefault();
    if (next) focus(next.one.point.id + next.one.point.side);
    return true;
  };
  const columns = [...new Map(nodes.map((node) => [`${node.one.point.side} ${node.one.depth}`, node])).values()];
  return (
    <div ref={box} className="relative overflow-x-auto pb-2" role="group" aria-label="Ways from the centre">
      <div className="relative" style={{ width, height: height + HEAD }}>
        {columns.map(({ one, x }) => {
          const { side } = one.point;
          const openable = nodes.filter(
            (node) =>
              node.one.depth === one.depth && node.one.point.side === side && node.one.point.kind === "step" && !node.one.point.nexts,
          );
          return (
            <div
              key={`${side} ${one.depth}`}
              className="absolute top-0 grid justify-items-start text-label"
              style={{ left: x, width: COLUMN }}
            >
              <span className="flex w-full justify-between gap-2 border-b border-ink">
                <b className="truncate font-semibold">{columnName(side, one.depth)}</b>
                <span className="text-ink-2">{did}</span>
              </span>
              {openable.length > 0 && (
                <Button
                  kind="link"
                  aria-label={`Open step: ${columnName(side, one.depth)}`}
                  onClick={() => paths.open(openable.map((node) => node.one.point))}
                >
                  Open step
                </Button>
              )}
            </div>
          );
        })}
        <svg className="absolute left-0" style={{ top: HEAD }} width={width} height={height} aria-hidden="true">
          {nodes.map((node) => (
            <Band
              key={`${node.one.point.side}${node.one.point.id}`}
              node={node}
              nodes={nodes}
              middle={{ x: middleX, top: middleTop }}
              unit={unit}
            />
          ))}
          {nodes.map((node) => (
            <Water key={`${node.one.point.side}${node.one.point.id}`} node={node} unit={unit} />
          ))}
          <rect className="fill-sea-1 stroke-magenta [stroke-width:1.5]" x={middleX} y={middleTop} width={MIDDLE} height={middleHeight} />
          <rect className="fill-teal" x={middleX} y={middleTop} width={BAR} height={all.converted * unit} />
        </svg>
        <div
          className="absolute grid content-center justify-items-start pl-3"
          style={{
            left: middleX,
            top: HEAD + middleTop + Math.min(0, (middleHeight - MIN_MIDDLE) / 2),
            width: MIDDLE,
            height: Math.max(middleHeight, MIN_MIDDLE),
          }}
        >
          <b className="max-w-full font-serif text-note font-[560] wrap-anywhere" title={valueWords(centre.dimension, centre.value)}>
            <span className="line-clamp-3">{valueWords(centre.dimension, centre.value)}</span>
          </b>
          <span className="text-[20px] leading-6 font-semibold">
            <FigureButton
              label={`${valueWords(centre.dimension, centre.value)}, Visits: ${figure(all.visits, "count")}`}
              onOpen={() => openUp({ measure: "visits", title: "Visits", of: [{ dimension: centre.dimension, value: centre.value }] })}
            >
              {figure(all.visits, "count")}
            </FigureButton>
          </span>
          <span className="text-label text-ink-2">visits</span>
          <span className="text-label font-semibold text-teal">
            {figure(all.converted, "count")} {did}
          </span>
          {all.visits > 0 && <span className="text-label text-ink-2">{shareWords(all.converted / all.visits)}</span>}
        </div>
        {nodes.map((node) => (
          <PathNodeButton
            key={`${node.one.point.side}${node.one.point.id}`}
            node={node.one.point}
            {...{ paths, centre, all }}
            place={{ left: node.x, top: HEAD + node.one.top, width: COLUMN, height: node.one.height }}
            isThin={node.one.barHeight < node.one.height}
            onWalk={(event) => walk(event, node)}
          />
        ))}
      </div>
    </div>
  );
}

/** Where all of it stands. */
function drawn(forward: readonly PathNode[], backward: readonly PathNode[], visits: number) {
  const unit = visits ? HEIGHT / visits : 0;
  const sides = { forward: placed(forward, unit, { top: 0 }), backward: placed(backward, unit, { top: 0 }) };
  const deepest = (side: Side) => Math.max(0, ...sides[side].map((one) => one.depth));
  const middleX = deepest("backward") * (COLUMN + BETWEEN);
  const xOf = (side: Side, depth: number) =>
    side === "forward" ? middleX + MIDDLE + BETWEEN + (depth - 1) * (COLUMN + BETWEEN) : middleX - depth * (COLUMN + BETWEEN);
  const both = [...sides.forward, ...sides.backward];
  const highest = Math.min(0, ...both.map((one) => one.top));
  const nodes = both.map((one): Drawn => {
    const x = xOf(one.point.side, one.depth);
    const moved = { ...one, top: one.top - highest, barTop: one.barTop - highest, partTop: one.partTop - highest };
    return { one: moved, x, barX: one.point.side === "forward" ? x : x + COLUMN - BAR };
  });
  return {
    nodes,
    width: middleX + MIDDLE + deepest("forward") * (COLUMN + BETWEEN),
    height: Math.max(HEIGHT - highest, ...nodes.map(({ one }) => one.top + one.height)) + 8,
    middleX,
    middleTop: -highest,
    middleHeight: Math.max(HEIGHT, 1),
  };
}

/** What flows between a node and the one that it comes from. */
function Band({ node, nodes, middle, unit }: { node: Drawn; nodes: readonly Drawn[]; middle: { x: number; top: number }; unit: number }) {
  const { one } = node;
  const { side, kind, visits } = one.point;
  const parent = one.parent ? nodes.find((other) => other.one.point.id === one.parent?.point.id && other.one.point.side === side) : null;
  const from = side === "forward" ? (parent ? parent.x + COLUMN : middle.x + MIDDLE) : parent ? parent.x : middle.x;
  const to = side === "forward" ? node.barX : node.barX + BAR;
  const { area, edges } = band(from, one.partTop, to, one.barTop, Math.max(visits * unit, 1));
  const isOutside = kind === "ended";
  return (
    <g>
      <path className={isOutside ? "fill-land" : "fill-sea-1"} d={area} />
      <path className={`fill-none stroke-ink [stroke-width:.75] ${isOutside ? "[stroke-dasharray:3_2] opacity-60" : ""}`} d={edges} />
    </g>
  );
}

/** The node itself: a bar whose top part is who reached the goal; one that is opened is a stretch of water. */
function Water({ node, unit }: { node: Drawn; unit: number }) {
  const { one, x, barX } = node;
  const { kind, converted, nexts } = one.point;
  return (
    <g>
      {nexts && (
        <>
          <rect className="fill-sea-1" x={x} y={one.barTop} width={COLUMN} height={one.barHeight} />
          <path
            className="stroke-ink [stroke-width:.75]"
            d={`M${x} ${one.barTop}h${COLUMN}M${x} ${one.barTop + one.barHeight}h${COLUMN}`}
          />
        </>
      )}
      <rect className={kind === "ended" ? "fill-buff" : "fill-sea-2"} x={barX} y={one.barTop} width={BAR} height={one.barHeight} />
      <rect className="fill-teal" x={barX} y={one.barTop} width={BAR} height={Math.min(converted * unit, one.barHeight)} />
    </g>
  );
}

/** The node that an arrow key leads to: in the same column, or the nearest of the next one; null where there is none, undefined for another key. */
function stepTo(nodes: readonly Drawn[], { one, x }: Drawn, key: string): Drawn | null | undefined {
  if (key === "ArrowDown" || key === "ArrowUp") {
    const column = nodes.filter((node) => node.x === x).sort((a, b) => a.one.top - b.one.top);
    const here = column.findIndex((node) => node.one.point.id === one.point.id);
    return column[here + (key === "ArrowDown" ? 1 : -1)] ?? null;
  }
  if (key !== "ArrowRight" && key !== "ArrowLeft") return undefined;
  const beyond = nodes.filter((node) => (key === "ArrowRight" ? node.x > x : node.x < x));
  const edge = key === "ArrowRight" ? Math.min(...beyond.map((node) => node.x)) : Math.max(...beyond.map((node) => node.x));
  const column = beyond.filter((node) => node.x === edge);
  const away = (node: Drawn) => Math.abs(node.one.top + node.one.height / 2 - one.top - one.height / 2);
  return column.sort((a, b) => away(a) - away(b))[0] ?? null;
}
