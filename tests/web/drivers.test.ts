import { describe, expect, it } from "vitest";

import type { Schemas } from "@/api/client";
import { convertingPart, seenPart } from "@/views/explain/drivers/parts";
import { channelSaid, channelsOf, gap, gapBetween, isOnTheWay, pageSaid, standardised, type PageDriver } from "@/words/drivers";
import { segmentWords } from "@/words/segments";

const page = (name: string, more: Partial<PageDriver>): PageDriver => ({
  page: name, entries: 0, seen: 100, converting: 10, rate: 0.1, without: 0.02, difference: 0.08, low: 0.03, high: 0.15, few: false, channels: [], credit: 1, ...more,
}); // prettier-ignore
const column = (id: string, values: (number | null)[], more = {}) => ({ id, values, ...more });

describe("what drives a goal", () => {
  const table = {
    rows: [["Email"], ["Search"], ["Tiny"]],
    columns: [
      column("visits", [100, 400, 5]), column("linear", [9, 12, 1]), column("first", [6, 14, 1]),
      column("conversion_rate", [0.1, 0.02, 0.4], { low: [0.06, 0.01, 0.1], few: [false, false, true] }),
    ],
  } as unknown as Schemas["TableResult"]; // prettier-ignore

  it("reads a table by row", () => {
    expect(channelsOf(table).map((one) => [one.channel, one.visits, one.linear, one.last, one.rate])).toEqual([
      ["Email", 100, 9, 0, 0.1],
      ["Search", 400, 12, 0, 0.02],
      ["Tiny", 5, 1, 0, 0.4],
    ]);
  });

  it("names who is owed most, and whose visits convert most beyond chance", () => {
    const said = channelSaid(channelsOf(table), 22, 0.04);
    expect([said?.most.channel, said?.share, said?.best?.channel]).toEqual(["Search", "55\u00a0%", "Email"]);
    expect(channelSaid(channelsOf(table), 22, 0.07)?.best).toBeNull();
    expect(channelSaid([], 0, null)).toBeNull();
  });

  it("names the page that goes with most more conversions, not a step of the way, nothing of chance", () => {
    const pages = [page("/basket", { converting: 45, difference: 0.9, low: 0.8 }), page("/few", { few: true, difference: 0.5 }), page("/chance", { difference: 0.4, low: -0.01 }), page("/small", { seen: 20, difference: 0.3 }), page("/good", {})]; // prettier-ignore
    expect(pageSaid(pages, 50)?.page).toBe("/good");
    expect(pageSaid(pages.slice(0, 3), 50)).toBeNull();
    const ways = [[40, 0.1, 50], [39, 0.1, 50], [3, 0.9, 50], [0, 0, 0]].map(([converting = 0, rate = 0, of = 0]) => isOnTheWay({ converting, rate }, of)); // prettier-ignore
    expect(ways).toEqual([true, false, true, false]);
  });

  it("says gaps in points, and how a standardised rate is made", () => {
    expect([gap(0.0674), gap(-0.004), gap(0.5), gapBetween({ low: 0.02, high: 0.163 }), gapBetween({ low: null, high: null })]).toEqual([
      "+6.7", "−0.4", "+50", "+2.0 to +16", "",
    ]); // prettier-ignore
    const channels = [{ channel: "Email", seen: 30, converting: 3, others: 50, others_converting: 2 }, { channel: "Search", seen: 10, converting: 0, others: 40, others_converting: 1 }]; // prettier-ignore
    expect(standardised(page("/a", { channels: [...channels, ...channels] }))).toMatch(/^30 ÷ 80 × 2 ÷ 50 .* \+ …$/);
    expect(standardised(page("/a", { channels }))).toBe("30 ÷ 40 × 2 ÷ 50 + 10 ÷ 40 × 1 ÷ 40");
  });

  it("makes segments of who saw a page before, and of who converted then", () => {
    const goal = { goal: { match: { kind: "order", names: [], name_test: "is", page: null, props: [], fields: [], value: null } } } as unknown as Schemas["GoalOut"]; // prettier-ignore
    const words = (part: ReturnType<typeof seenPart>) =>
      part.kind === "segment" ? segmentWords(part.segment, { registry: undefined, segments: [] }) : "";
    expect(words(convertingPart("/a", goal))).toBe("Visits that saw /a and later ordered");
    expect(words(seenPart("/a", goal))).toBe("Visits that (saw /a and never ordered) or saw /a and later ordered");
  });
});
