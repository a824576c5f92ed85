import type { HitRecord, Schemas, Segment } from "@/api/client";
import { PLAIN_MATCH } from "@/words/segments";

type HitMatch = Schemas["HitMatch"];

const MAX_STEPS = 10;
/** What the script sends while nobody means anything by it. */
const PASSIVE = new Set(["form view", "media progress", "scroll depth", "promo view", "test exposure"]);

function stepOf({ kind, page, name }: Pick<HitRecord, "kind" | "page" | "name">): HitMatch | null {
  if (kind === "view") return { ...PLAIN_MATCH, kind, page: { test: "is", value: page } };
  if (kind === "order") return { ...PLAIN_MATCH, kind };
  return kind === "event" && name && !PASSIVE.has(name) ? { ...PLAIN_MATCH, kind, names: [name] } : null;
}

/** Visits that went the way that a visit went: its pages, events and orders in their order, as many of the first as a segment takes. */
export function wayOf(hits: readonly Pick<HitRecord, "kind" | "page" | "name">[]): Segment | null {
  const steps = hits.flatMap((hit) => stepOf(hit) ?? []);
  const way = steps.filter((one, place) => JSON.stringify(one) !== JSON.stringify(steps[place - 1])).slice(0, MAX_STEPS);
  const [first] = way;
  if (!first) return null;
  const condition: Segment["where"]["conditions"][number] =
    way.length === 1 ? { kind: "did", match: first, test: "at least", times: 1 } : { kind: "in order", steps: way, within_minutes: null };
  return { of: "visits", where: { kind: "group", of: "all", conditions: [condition] } };
}
