import { useRef, useState, type KeyboardEvent } from "react";

interface Points {
  /** What the chart shows, in words. */
  title: string;
  count: number;
  /** How many stand beside each other, row by row: all of them, where there is one row. */
  across?: number;
  /** A point as it is read; none is read yet. */
  words: (at: number | null) => string;
  onTake?: ((at: number) => void) | undefined;
}

const bounded = (at: number, count: number): number => Math.min(Math.max(at, 0), count - 1);

/** Where a key leads from a point; null where it is none of the chart's. */
export function moved(key: string, at: number | null, count: number, across = count): number | null {
  if (count < 1) return null;
  const [column, row] = at === null ? [0, 0] : [at % across, Math.floor(at / across)];
  const isLow = count > across;
  if (key === "Home") return 0;
  if (key === "End") return count - 1;
  if (across > 1 && key === "ArrowRight") return at === null ? 0 : bounded(Math.min(at + 1, (row + 1) * across - 1), count);
  if (across > 1 && key === "ArrowLeft") return at === null ? count - 1 : Math.max(at - 1, row * across);
  if (isLow && key === "ArrowDown") return at === null ? 0 : at + across < count ? at + across : at;
  if (isLow && key === "ArrowUp") return at === null ? count - 1 : row > 0 ? at - across : column;
  return null;
}

/** A chart that is read point by point: the arrow keys, Home and End go along its points, Enter takes one, leaving it reads none. */
export function usePoints({ title, count, across = count, words, onTake }: Points) {
  const [at, setAt] = useState<number | null>(null);
  // A pointer that rests where something is drawn over the chart leaves it, without anybody having moved it: what was reached by key stays.
  const isKeyed = useRef(false);
  const pointAt = (to: number | null) => {
    isKeyed.current = false;
    setAt(to);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === "Enter" && onTake && at !== null) {
      event.preventDefault();
      onTake(at);
      return;
    }
    const to = moved(event.key, at, count, across);
    if (to === null) return;
    event.preventDefault();
    isKeyed.current = true;
    setAt(to);
  };
  const read = at !== null && at < count ? at : null;
  return {
    at: read,
    pointAt,
    away: () => {
      if (!isKeyed.current) setAt(null);
    },
    slider: {
      role: "slider",
      "aria-label": title,
      "aria-orientation": across > 1 ? "horizontal" : "vertical",
      "aria-valuemin": 0,
      "aria-valuemax": Math.max(count - 1, 0),
      "aria-valuenow": read ?? 0,
      "aria-valuetext": words(read),
      tabIndex: 0,
      onKeyDown,
      onBlur: () => setAt(null),
    },
  } as const;
}
