/** How strokes and signs of charts look; one meaning each. */
export const AXIS_TEXT = "fill-ink-2 text-micro";
export const GRID = "stroke-hairline";
export const TICK = "stroke-ink-2";
export const LINE = "fill-none stroke-ink [stroke-linecap:round] [stroke-linejoin:round]";
export const VERSUS_LINE =
  "fill-none stroke-ink-2 [stroke-dasharray:0.1_4] [stroke-linecap:round] [stroke-linejoin:round] [stroke-width:1.5]";
/** Parts side by side, in their order; each with a letter of its own. */
export const SERIES = [
  { line: "stroke-series-1", text: "fill-series-1" },
  { line: "stroke-series-2", text: "fill-series-2" },
  { line: "stroke-series-3", text: "fill-series-3" },
  { line: "stroke-series-4", text: "fill-series-4" },
] as const;
export const END = "fill-ink";
export const DOT = "fill-teal";
export const VERSUS_DOT = "fill-none stroke-ink-2 [stroke-width:1.1]";
export const WHISKER = "fill-none stroke-ink-2 [stroke-width:1.25]";
export const DATUM = "stroke-ink-2 [stroke-dasharray:1_2]";
