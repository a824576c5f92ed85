/** A node of the tree of ways on one side of the centre. */
export interface PathPoint {
  id: string;
  /** `step`: a next step by name; `more`: all further ones; `ended`: the visit ends, or began. */
  kind: "step" | "more" | "ended";
  visits: number;
  converted: number;
  /** What comes next; null where it is not opened. */
  nexts: PathPoint[] | null;
}

export interface PlacedPoint<Point extends PathPoint> {
  point: Point;
  parent: PlacedPoint<Point> | null;
  /** From 1 on, next to the centre. */
  depth: number;
  /** The place that its words have. */
  top: number;
  height: number;
  /** Its own height, true to its visits, in the middle of that place. */
  barTop: number;
  barHeight: number;
  /** Where its part begins on the edge of the node that it comes from. */
  partTop: number;
}

const MIN_HEIGHT = 22;
const GAP = 6;
const GROUP_GAP = 12;
const NARROWEST = 1.5;

/**
 * The nodes of one side of the centre, placed column by column: heights true to visits, each with room for its words, those of one node together and as
 * near to it as the others let them. `unit`: pixels a visit; `middle`: of the centre. What is placed above 0 is for the caller to move.
 */
export function placed<Point extends PathPoint>(nexts: readonly Point[], unit: number, centre: { top: number }): PlacedPoint<Point>[] {
  const all: PlacedPoint<Point>[] = [];
  let level: { parent: PlacedPoint<Point> | null; top: number; height: number; nexts: readonly Point[] }[] = [
    { parent: null, top: centre.top, height: nexts.reduce((sum, one) => sum + one.visits, 0) * unit, nexts },
  ];
  for (let depth = 1; level.length; depth++) {
    let free = -Infinity;
    const column: PlacedPoint<Point>[] = [];
    for (const { parent, top, height, nexts: points } of level) {
      const heights = points.map((one) => Math.max(one.visits * unit, MIN_HEIGHT));
      const whole = heights.reduce((sum, one) => sum + one, 0) + GAP * Math.max(points.length - 1, 0);
      let y = Math.max(free, top + height / 2 - whole / 2);
      let part = top;
      points.forEach((point, place) => {
        const slot = heights[place] ?? MIN_HEIGHT;
        const bar = Math.max(point.visits * unit, NARROWEST);
        column.push({ point, parent, depth, top: y, height: slot, barTop: y + (slot - bar) / 2, barHeight: bar, partTop: part });
        part += point.visits * unit;
        y += slot + GAP;
      });
      free = y - GAP + GROUP_GAP;
    }
    all.push(...column);
    level = column
      .filter((one) => one.point.nexts?.length)
      .map((one) => ({ parent: one, top: one.barTop, height: one.barHeight, nexts: (one.point.nexts ?? []) as Point[] }));
  }
  return all;
}

/** A band from one edge to another, as a path: its two long edges, and all of it. */
export function band(x1: number, top1: number, x2: number, top2: number, height: number): { area: string; edges: string } {
  const middle = (x1 + x2) / 2;
  const along = (from: number, to: number) => `C${middle} ${from} ${middle} ${to} ${x2} ${to}`;
  const [bottom1, bottom2] = [top1 + height, top2 + height];
  return {
    area: `M${x1} ${top1}${along(top1, top2)}V${bottom2}C${middle} ${bottom2} ${middle} ${bottom1} ${x1} ${bottom1}Z`,
    edges: `M${x1} ${top1}${along(top1, top2)}M${x1} ${bottom1}${along(bottom1, bottom2)}`,
  };
}
