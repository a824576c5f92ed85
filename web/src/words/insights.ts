import type { Registry, Schemas } from "@/api/client";
import { doing, times } from "@/words/comparing";
import { duration, figure, plural, shareWords, twoDigits } from "@/words/format";

export type Insight = Schemas["Insight"];

/** What the words need to know of the site and of what is read. */
export interface InsightNaming {
  registry: Registry | undefined;
  /** The goal steered by. */
  goal: string | undefined;
  windows: number;
}

/** A sentence in pieces; what is `stressed` leads to the view that proves it. */
export interface Piece {
  text: string;
  stressed?: true;
}

const s = (text: string): Piece => ({ text, stressed: true });
const count = (value: number): string => figure(value, "count");
/** Expected counts as one says them: `57`, `3.3`. */
const about = (value: number): string => (value >= 10 || Number.isInteger(value) ? count(value) : twoDigits(value));

/** An insight as a sentence. */
export function insightWords(insight: Insight, { registry, goal, windows }: InsightNaming): Piece[] {
  const { kind, value, a, a_of: of, b } = insight;
  const dimension = registry?.dimensions.find((one) => one.name === insight.dimension) ?? {
    name: insight.dimension,
    title: insight.dimension,
  };
  const [verb, name] = doing(dimension, value, "then");
  const came = insight.dimension ? ` ${verb} ${name}` : " came";
  switch (kind) {
    case "converters": {
      const size = insight.ratio == null || insight.ratio >= 1 ? "" : "Only ";
      return [s(`${size}${count(a)} of ${count(of)}`), { text: ` people with ${goal ?? "the goal"}${came}, ${oftenWords(insight)}.` }];
    }
    case "grew":
      return [s(plural(a, "visit")), { text: `${came}, where ${about(b ?? 0)} were expected.` }];
    case "fell":
      return [s(`Only ${plural(a, "visit")}`), { text: `${came}, where ${about(b ?? 0)} were expected.` }];
    case "stopped":
      return [s("No visit"), { text: `${came} any more, where ${about(b ?? 0)} were expected.` }];
    case "new":
      return [{ text: "For the first time, " }, s(plural(a, "visit")), { text: `${came}; none did in the ${windows} periods before.` }];
    case "weak landing":
      return [
        s(`${count(a)} of ${plural(of, "visit")}`),
        {
          text: ` that landed on ${value} reached ${goal ?? "the goal"}; of visits from the same channels ${about(b ?? 0)} would be usual.`,
        },
      ];
    case "seldom entered":
      return [
        { text: `${value} was seen in ` },
        s(plural(of, "visit")),
        { text: ` and entered by ${a === 0 ? "none of them" : count(a)}: people go on to it, and do not find it from outside.` },
      ];
    default: {
      const read = duration((insight.engaged ?? 0) * 1000);
      return [
        s(`${count(a)} of ${plural(of, "visit")}`),
        {
          text:
            kind === "long bounces"
              ? ` that landed on ${value} saw no other page, but read it for ${read}: they may have found what they came for.`
              : ` that landed on ${value} saw no other page, and left it after ${read}.`,
        },
      ];
    }
  }
}

function oftenWords({ ratio, b, b_of: of }: Insight): string {
  if (!b) return "and none of the others";
  const others = `${shareWords(b / Math.max(of ?? 1, 1))} of the others`;
  return ratio == null || ratio >= 1 ? `but only ${others}` : `against ${others}`;
}

/** What stands beside its small chart. */
export function chartWords({ kind, a, a_of: of, b, b_of: bOf, ratio, low, high, engaged_of_all: usual }: Insight): string {
  switch (kind) {
    case "converters":
      if (ratio == null) return low == null ? "" : `at least ${times(low)} times`;
      return `${times(ratio)} times${low != null && high != null ? `, between ${times(low)} and ${times(high)}` : ""}`;
    case "weak landing":
      return `${shareWords(a / Math.max(of, 1))} where ${shareWords((b ?? 0) / Math.max(of, 1))} would be usual`;
    case "long bounces":
    case "short bounces":
      return `${shareWords(a / Math.max(of, 1))}, of all ${shareWords((b ?? 0) / Math.max(bOf ?? 1, 1))}; all read ${duration((usual ?? 0) * 1000)}`;
    case "seldom entered":
      return `${shareWords(a / Math.max(of, 1))} entered by it`;
    default:
      return `${count(a)} where ${about(b ?? 0)} were expected`;
  }
}

/** An insight as plain text, for a note. */
export const insightText = (insight: Insight, naming: InsightNaming): string =>
  insightWords(insight, naming)
    .map((piece) => piece.text)
    .join("");
