import type { Schemas } from "@/api/client";
import { doing } from "@/words/comparing";
import { figure, shareWords, valueWords } from "@/words/format";

interface Node {
  side: "forward" | "backward";
  kind: "step" | "more" | "ended";
  chain: readonly { value: string }[];
  name: string;
}

/** The way to a node, in the order in which it is gone: `/courses, then /courses/sourdough`. */
export function nodeWords({ side, kind, chain, name }: Node, centre: { dimension: string; value: string }): string {
  const middle = valueWords(centre.dimension, centre.value);
  const steps = [...chain.map((one) => one.value), ...(kind === "step" ? [] : [name])];
  return (side === "forward" ? [middle, ...steps] : [...steps.reverse(), middle]).join(", then ");
}

/** So many steps that it did not go are named. */
const NAMED = 3;

/** What a way is as something that was done: `went from /courses on to /a, then /b`. */
export function wayWords(way: Schemas["WayCondition"]): string {
  const { centre, forward = [], backward = [], left, arrived, next_other_than: next = [], before_other_than: before = [] } = way;
  const middle = valueWords(centre.dimension, centre.value);
  const others = (told: typeof next) => {
    const named = told.slice(0, told.length > NAMED + 1 ? NAMED : NAMED + 1).map((one) => one.value);
    const more = told.length > named.length ? [`${told.length - named.length} more`] : [];
    return told.length ? [`another than ${[...named, ...more].join(", ")}`] : [];
  };
  const back = [...others(before), ...[...backward].reverse().map((one) => one.value)];
  const on = [...forward.map((one) => one.value), ...others(next), ...(left ? ["left the site"] : [])];
  const from = [...(arrived ? ["arriving"] : []), ...back];
  const came = from.length ? ` from ${from.join(", then ")}` : "";
  const went = on.length ? ` and went on to ${on.join(", then ")}` : "";
  const begun = centre.dimension === "channel" ? `came by ${middle}` : `came to ${middle}`;
  return begun + came + went.replace(/ and went on to left the site$/, " and left the site");
}

/** One visit in so many, where that says more than a share: `one in three`. */
export function oneIn(share: number): string {
  const words = ["", "", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"];
  const count = Math.round(1 / share);
  return share < 0.45 && count <= 10 && Math.abs(1 / share - count) / count < 0.08 ? `one in ${words[count] ?? count}` : shareWords(share);
}

export interface PathSaid {
  /** Who is in the middle, and what they did there. */
  middle: string;
  next: { value: string; share: string; converted: string } | null;
  left: string | null;
}

/** What the data says of a centre: the commonest next step, how many conversions lie on that way, who leaves at once. */
export function pathSaid(
  { centre, forward }: Pick<Schemas["PathsResult"], "centre" | "forward">,
  of: { dimension: string; value: string },
): PathSaid {
  const first = forward.find((one) => one.chain.length === 0);
  const [verb, value] = doing({ name: of.dimension, title: of.dimension }, of.value, "then");
  const top = first?.nodes[0];
  const share = (count: number) => (centre.visits ? count / centre.visits : 0);
  return {
    middle: `${figure(centre.visits, "count")} ${centre.visits === 1 ? "visit" : "visits"} that ${verb} ${value}`,
    next:
      top && top.visits >= 5
        ? {
            value: top.step.value,
            share: oneIn(share(top.visits)),
            converted: centre.converted >= 5 ? `${figure(top.converted, "count")} of ${figure(centre.converted, "count")}` : "",
          }
        : null,
    left: first && first.ended.visits >= 5 ? oneIn(share(first.ended.visits)) : null,
  };
}

const PLACES = ["", "First", "Second", "Third", "Fourth", "Fifth", "Sixth", "Seventh", "Eighth", "Ninth", "Tenth", "Eleventh", "Twelfth"];
const COUNTS = ["", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve"];

/** What a column of steps is called: `First after`, `Two before`. */
export const columnName = (side: "forward" | "backward", depth: number): string =>
  side === "forward" ? `${PLACES[depth] ?? `${depth}th`} after` : `${COUNTS[depth] ?? depth} before`;
