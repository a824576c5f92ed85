import { describe, expect, it } from "vitest";

import type { Schemas } from "@/api/client";
import { readCell } from "@/views/explain/attribution/openedCell";
import { readGap } from "@/views/explain/drivers/OpenedGap";
import { readStepFigure } from "@/views/explain/funnels/OpenedStep";
import { openedGroups, type CompareRequest } from "@/views/explain/groups";
import { leftAt, saidOf } from "@/views/read/activityFigures";
import { segmentWords } from "@/words/segments";

const PLACE = { dimension: "channel", value: "Email" };
const words = (part: { kind: string; segment?: unknown }) =>
  segmentWords(part.segment as Parameters<typeof segmentWords>[0], { registry: undefined, segments: [] });

describe("what an address says is opened", () => {
  it("is a credit, with what is known of it", () => {
    const cell = {
      place: 2,
      path: [PLACE],
      credit: 22.3,
      against: 0.11,
      removal: { touches: 904, effect: 0.2 },
      interval: { low: 0.1, high: 0.3 },
    };
    expect(readCell(cell)).toEqual(cell);
    expect(readCell({ place: 0, path: [], credit: 144 })).toEqual({ place: 0, path: [], credit: 144 });
  });

  it("is nothing where it makes no sense, and keeps of a credit what does", () => {
    expect(
      [null, "x", {}, { place: 0.5, path: [], credit: 1 }, { place: 0, path: [], credit: "1" }, { place: 0, credit: 1 }].map(readCell),
    ).toEqual(Array.from({ length: 6 }, () => null));
    expect(
      readCell({ place: 1, path: [PLACE, { dimension: 3 }], credit: 1, against: "x", removal: { touches: 1 }, interval: [1, 2] }),
    ).toEqual({
      place: 1,
      path: [PLACE],
      credit: 1,
    });
  });

  it("is a time of a step, or a share of a row", () => {
    expect(readStepFigure({ step: 3, figure: "took" })).toEqual({ step: 3, figure: "took", row: null });
    expect(readStepFigure({ step: 9, figure: "went on", row: "phone" })).toEqual({ step: 9, figure: "went on", row: "phone" });
    const wrong = [{ step: 0, figure: "took" }, { step: 10, figure: "took" }, { step: 1.5, figure: "took" }, { step: 1, figure: "lost" }, { step: "1", figure: "took" }, [], null]; // prettier-ignore
    expect(wrong.map(readStepFigure)).toEqual(wrong.map(() => null));
  });

  it("is the gap of a page", () => {
    expect([readGap("/courses"), readGap(3), readGap("x".repeat(3_000))]).toEqual(["/courses", null, null]);
  });
});

describe("groups whose figures open up", () => {
  const EMAIL = { kind: "dimension" as const, dimension: "channel", test: "is" as const, values: ["Email"] };
  const own = { of: "visits" as const, where: { kind: "group" as const, of: "all" as const, conditions: [EMAIL] } };
  const request = (more: Partial<CompareRequest>): CompareRequest =>
    ({ period: { first: "2026-10-01", last: "2026-10-28" }, units: "visits", group: own, against: { kind: "rest" }, segment: null, ...more }) as CompareRequest; // prettier-ignore

  it("are the group and what is left without it", () => {
    const { a, b } = openedGroups("goal:1", request({}), true);
    expect([words(a.part), words(b.part), a.under, b.under]).toEqual([
      "Visits that came by Email", "Visits that never were among visits that came by Email", undefined, undefined,
    ]); // prettier-ignore
  });

  it("are of days of their own where others are, under what the strip narrowed to", () => {
    const phones = {
      of: "visits" as const,
      where: { kind: "group" as const, of: "all" as const, conditions: [{ ...EMAIL, dimension: "device", values: ["phone"] }] },
    };
    const against = { kind: "period" as const, period: { first: "2026-09-03", last: "2026-09-30" } };
    const { b } = openedGroups("goal:1", request({ against, segment: phones }), false);
    expect(b.under).toEqual({ from: "2026-09-03", to: "2026-09-30" });
    expect(words(b.part)).toBe("Visits that used the device phone and were among visits that came by Email");
    const everybody = openedGroups("everybody", request({ against, group: null }), false);
    expect([words(everybody.a.part), words(everybody.b.part)]).toEqual(["All visits", "All visits"]);
  });

  it("of the strip itself: what it leaves out is read without it", () => {
    const { b } = openedGroups("segment", request({}), true);
    expect(b.under).toEqual({ from: "2026-10-01", to: "2026-10-28" });
  });
});

describe("how many left a form at a field", () => {
  const found = {
    forms: [{ form: "wholesale", seen: 9, begun: 7, sent: 2, seconds: null, left_at: [{ field: "telephone", visits: 4 }] }],
    media: [],
    promotions: [],
  } as unknown as Schemas["ActivityResult"];

  it("says what it is, and in which visits", () => {
    const { did, part } = leftAt("wholesale", "telephone");
    expect(saidOf(found, did, null)).toEqual({
      figure: "4", meaning: "Visits that began it, did not send it, and typed last in this field.", numbers: null,
    }); // prettier-ignore
    expect(words(part)).toContain("and never sent a form");
    expect(saidOf(found, leftAt("wholesale", "name").did, null)).toBeNull();
    expect(saidOf(found, leftAt("pay", "telephone").did, null)).toBeNull();
  });
});
