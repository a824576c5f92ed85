import type { Condition, Schemas, SegmentPart } from "@/api/client";
import type { PathPoint } from "@/charts/pathLayout";
import { isRecord } from "@/state/address";
import { isText } from "@/state/shown";

export type WayStep = Schemas["WayStep"];
export type Centre = Schemas["Centre"];
export type StepsOf = Schemas["PathsRequest"]["steps"];
export type Side = "forward" | "backward";
export type OpenedNode = Schemas["OpenedNode"];
type Branches = Schemas["PathBranches"];

/** A node as it is drawn. `chain`: the steps from the centre to it; of what has no name of its own, to the node before. */
export interface PathNode extends PathPoint {
  side: Side;
  chain: readonly WayStep[];
  name: string;
  before: number | null;
  nexts: PathNode[] | null;
  /** Of *n more*: the steps that are told by name, which they are not. */
  told?: readonly WayStep[];
}

export const idOf = (chain: readonly WayStep[]): string => chain.map((one) => `${one.of}:${one.value}`).join("\n");

const MORE: Record<StepsOf, [string, string]> = {
  pages: ["page", "pages"],
  "page groups": ["group", "groups"],
  events: ["event", "events"],
  "pages and events": ["step", "steps"],
};
const ENDED: Record<Side, string> = { forward: "left the site", backward: "arrived" };

/** The tree of what was opened on one side. */
export function treeOf(branches: readonly Branches[], side: Side, steps: StepsOf): PathNode[] {
  const by = new Map(branches.map((one) => [idOf(one.chain), one]));
  const below = (chain: readonly WayStep[]): PathNode[] | null => {
    const found = by.get(idOf(chain));
    if (!found) return null;
    const id = idOf(chain);
    const nodes = found.nodes.map((node): PathNode => {
      const on = [...chain, node.step];
      return { ...node, id: idOf(on), kind: "step", side, chain: on, name: node.step.value, before: node.before ?? null, nexts: below(on) };
    });
    const [one, many] = MORE[steps];
    const { more, ended } = found;
    const rest = (kind: "more" | "ended", of: typeof ended, name: string, told: WayStep[] = []): PathNode[] =>
      of.visits ? [{ ...of, id: `${id}\n${kind}`, kind, side, chain, name, before: of.before ?? null, nexts: null, told }] : [];
    const further = `${more.values} more ${more.values === 1 ? one : many}`;
    const told = found.nodes.map((node) => node.step);
    return [...nodes, ...rest("more", more, further, told), ...rest("ended", ended, ENDED[side])];
  };
  return below([]) ?? [];
}

/** The visits that went the way to a node, as a whole segment; of further steps, those that went on to none that is told. */
export function wayPart(
  { side, chain, kind, told = [] }: Pick<PathNode, "side" | "chain" | "kind" | "told">,
  centre: Centre,
  steps: StepsOf,
): SegmentPart {
  const isForward = side === "forward";
  const others = kind === "more" ? [...told] : [];
  const way: Condition = {
    kind: "way",
    steps,
    centre,
    forward: isForward ? [...chain] : [],
    backward: isForward ? [] : [...chain],
    left: kind === "ended" && isForward,
    arrived: kind === "ended" && !isForward,
    next_other_than: isForward ? others : [],
    before_other_than: isForward ? [] : others,
  };
  return { kind: "segment", segment: { of: "visits", where: { kind: "group", of: "all", conditions: [way] } } };
}

/** All visits of the centre. */
export const centrePart = (centre: Centre, steps: StepsOf) => wayPart({ side: "forward", chain: [], kind: "step" }, centre, steps);

/** What is opened on either side; null: what is usual. */
export interface Opened {
  forward: OpenedNode[] | null;
  backward: OpenedNode[] | null;
  /** Whether it is read as a table. */
  isTable: boolean;
}
export const NOTHING_OPENED: Opened = { forward: null, backward: null, isTable: false };

const isStep = (given: unknown): given is WayStep =>
  isRecord(given) && isText(given["value"]) && ["page", "page_group", "event"].includes(String(given["of"]));

/** What an address says is opened. */
export function readOpened(given: unknown): Opened | null {
  if (!isRecord(given)) return null;
  const side = (of: unknown): OpenedNode[] | null =>
    Array.isArray(of) && of.length <= 60
      ? of.flatMap((one) => {
          const chain = isRecord(one) && Array.isArray(one["chain"]) && one["chain"].length <= 12 ? one["chain"] : null;
          const most = isRecord(one) ? Number(one["most"]) : 0;
          return chain?.every(isStep) && Number.isInteger(most) && most > 0 && most <= 200 ? [{ chain, most }] : [];
        })
      : null;
  return { forward: side(given["forward"]), backward: side(given["backward"]), isTable: given["isTable"] === true };
}
