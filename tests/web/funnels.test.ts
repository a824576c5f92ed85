import { describe, expect, it } from "vitest";

import { readView } from "@/state/address";
import { difference, lostWords, stepName, tookWords, worstStep, type FunnelFigures, type FunnelRow } from "@/words/funnels";
import { PLAIN_MATCH, segmentWords } from "@/words/segments";
import { lostPart, reachedPart } from "@/views/explain/funnels/parts";

const view = (value: string) => ({ ...PLAIN_MATCH, kind: "view" as const, page: { test: "is" as const, value } });
const ORDER = { ...PLAIN_MATCH, kind: "order" as const };
const FUNNEL = { steps: [view("/basket"), view("/pay"), ORDER], units: "visits" as const, window_minutes: 60, directly_next: false };

/** Figures of so many who reached each step, each share between five points below and above. */
const figures = (...reached: number[]): FunnelFigures => {
  const shares = reached.map((here, step) => (step && reached[step - 1] ? here / (reached[step - 1] ?? 1) : null));
  const moved = (by: number) => shares.map((one) => (one === null ? null : one + by));
  const none = reached.map(() => null);
  const lost = reached.map((here, step) => (step ? (reached[step - 1] ?? 0) - here : null));
  return {
    reached,
    of_first: shares,
    of_previous: shares,
    low: moved(-0.05),
    high: moved(0.05),
    lost,
    quartile: none,
    median: none,
    upper_quartile: none,
  };
};
const row = (name: string, ...reached: number[]): FunnelRow => ({ name, value: name, figures: figures(...reached) });

describe("a funnel in words", () => {
  it("calls a step by its page, its event, or all that it asks", () => {
    expect([view("/pay"), ORDER, { ...PLAIN_MATCH, kind: "view" as const }].map(stepName)).toEqual(["/pay", "order", "any page"]);
    expect(stepName({ ...PLAIN_MATCH, kind: "event", names: ["book"] })).toBe("book");
    expect(stepName({ ...view("/pay"), page: { test: "contains", value: "pay" } })).toContain("containing");
    expect(stepName({ ...ORDER, value: { test: ">", than: 50 } })).toBe("ordered with a worth of more than 50");
  });

  it("tells the one step that loses most beyond chance, or none", () => {
    expect(worstStep(figures(1000, 900, 400, 360))).toBe(2);
    expect(worstStep(figures(1000, 900, 800, 700))).toBeNull();
    expect(worstStep(figures(20, 10, 2))).toBeNull();
  });

  it("tells where a part loses most beyond all, and who goes on most there", () => {
    const whole = figures(1000, 900, 630);
    const found = difference(whole, [row("phone", 500, 450, 180), row("desktop", 480, 430, 430), row("tablet", 20, 20, 5)]);
    expect([found?.step, found?.row.name, found?.against?.name]).toEqual([2, "phone", "desktop"]);
    expect(Math.round(found?.missing ?? 0)).toBe(135);
    expect(difference(whole, [row("phone", 500, 450, 315), row("tablet", 20, 20, 5)])).toBeNull();
  });

  it("says where the lost went, and how long it took", () => {
    const lost = { left: 131, pages: [{ page: "/shop", units: 62 }, { page: "/", units: 20 }, { page: "/b", units: 9 }], elsewhere: 9 }; // prettier-ignore
    expect(lostWords(lost)).toBe("131 left the site · 62 to /shop · 20 to / · 18 elsewhere");
    expect(lostWords({ left: 0, pages: [], elsewhere: 3 })).toBe("3 elsewhere");
    const took = { ...figures(5, 4), median: [null, 72], quartile: [null, 40], upper_quartile: [null, 180] };
    expect([tookWords(took, 1), tookWords(took, 0)]).toEqual([["1 min 12 s", "40 s to 3 min"], null]);
  });
});

describe("segments from a funnel", () => {
  it("hold those who came to a step, and those lost before it", () => {
    const naming = { registry: undefined, segments: [] };
    const said = [reachedPart(FUNNEL, 0), reachedPart(FUNNEL, 2), lostPart({ ...FUNNEL, directly_next: true }, 1)];
    expect(said.map((part) => (part.kind === "segment" ? segmentWords(part.segment, naming) : ""))).toEqual([
      "Visits that saw /basket",
      "Visits that saw /basket and later, within 1 hour, saw /pay, then ordered",
      "Visits that saw /basket, and never saw /basket and directly next, within 1 hour, saw /pay",
    ]);
  });
});

describe("a funnel in the address", () => {
  it("is kept as a number or in full, and left out where it is none", () => {
    const text = JSON.stringify(FUNNEL);
    expect(readView({ funnel: "12" }).funnel).toBe("12");
    expect(readView({ funnel: text }).funnel).toBe(text);
    for (const bad of [
      "{",
      "0",
      JSON.stringify({ ...FUNNEL, steps: [ORDER] }),
      JSON.stringify({ steps: [{}, {}], units: "visits" }),
      "x".repeat(7_000),
    ])
      expect(readView({ funnel: bad }).funnel).toBeUndefined();
  });
});
