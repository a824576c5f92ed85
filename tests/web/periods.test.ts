import { describe, expect, it } from "vitest";

import { dragged, partAt } from "@/app/frame/dragging";
import { isOverDays } from "@/charts/course";
import { stepFor, stepsFor } from "@/charts/useTimeSeries";
import { dayOf, plusDays, usualPeriods } from "@/state/days";

describe("usual periods", () => {
  const of = (today: string) => Object.fromEntries(usualPeriods(today, "2025-03-09"));

  it("go by the calendar", () => {
    const periods = of("2026-11-26");
    expect(periods["This month"]).toEqual({ first: "2026-11-01", last: "2026-11-26" });
    expect(periods["Last month"]).toEqual({ first: "2026-10-01", last: "2026-10-31" });
    expect(periods["This quarter"]).toEqual({ first: "2026-10-01", last: "2026-11-26" });
    expect(periods["Last quarter"]).toEqual({ first: "2026-07-01", last: "2026-09-30" });
    expect(periods["This year"]).toEqual({ first: "2026-01-01", last: "2026-11-26" });
    expect(periods["Last year"]).toEqual({ first: "2025-01-01", last: "2025-12-31" });
    expect(periods["Last 7 days"]).toEqual({ first: "2026-11-19", last: "2026-11-25" });
    expect(periods["All time"]).toEqual({ first: "2025-03-09", last: "2026-11-25" });
  });

  it("hold at the turn of a year and in a leap year", () => {
    expect(of("2027-01-01")["Last month"]).toEqual({ first: "2026-12-01", last: "2026-12-31" });
    expect(of("2027-01-01")["Last quarter"]).toEqual({ first: "2026-10-01", last: "2026-12-31" });
    expect(of("2028-03-31")["Last month"]).toEqual({ first: "2028-02-01", last: "2028-02-29" });
  });
});

describe("dragging on the calendar edge", () => {
  const period = { first: "2026-10-01", last: "2026-10-28" };
  const [low, high] = ["2025-10-26", "2026-11-26"];

  it.each([
    [98, "first"],
    [150, "middle"],
    [203, "last"],
    [90, "outside"],
  ] as const)("takes hold of what lies at %i", (x, part) => expect(partAt(x, 100, 100)).toBe(part));

  it("takes a narrow period as a whole", () => expect(partAt(103, 100, 6)).toBe("middle"));

  it.each([
    ["first", "2026-10-01", "2026-09-20", "2026-09-20", "2026-10-28"],
    ["last", "2026-10-28", "2026-11-03", "2026-10-01", "2026-11-03"],
    ["first", "2026-10-01", "2026-11-05", "2026-10-28", "2026-11-05"],
    ["middle", "2026-10-10", "2026-10-13", "2026-10-04", "2026-10-31"],
    ["middle", "2026-10-10", "2026-11-26", "2026-10-30", "2026-11-26"],
    ["outside", "2026-03-10", "2026-03-01", "2026-03-01", "2026-03-10"],
  ] as const)("moves its %s from %s to %s", (part, day, to, first, last) =>
    expect(dragged(period, { part, day }, to, low, high)).toEqual({ first, last }),
  );
});

describe("steps", () => {
  const days = (count: number) => ({ first: "2026-11-01", last: plusDays("2026-11-01", count - 1) });
  it("are none so fine that one cannot tell them apart, and none longer than the period", () => {
    expect([1, 7, 28, 92, 364, 800].map((count) => stepsFor(days(count)))).toEqual([
      ["hour"],
      ["hour", "day"],
      ["day", "week"],
      ["day", "week", "month"],
      ["day", "week", "month"],
      ["week", "month"],
    ]);
  });
  it("are the usual ones where what is wanted does not fit", () => {
    expect([stepFor(days(28), "week"), stepFor(days(28), "hour"), stepFor(days(1), "month"), stepFor(days(500))]).toEqual([
      "week",
      "day",
      "hour",
      "month",
    ]);
  });
  it("by the hour go over days", () => {
    expect(isOverDays([{ at: "2026-11-01T00:00" }, { at: "2026-11-02T00:00" }], "hour")).toBe(true);
    expect(isOverDays([{ at: "2026-11-01T00:00" }, { at: "2026-11-01T23:00" }], "hour")).toBe(false);
    expect(isOverDays([{ at: "2026-11-01" }, { at: "2026-11-02" }], "day")).toBe(false);
  });
});

describe("the day of a moment", () => {
  it("is that of the site", () => {
    const late = "2026-11-27T23:30:00Z";
    expect(["UTC", "Europe/Berlin", "America/New_York"].map((zone) => dayOf(late, zone))).toEqual([
      "2026-11-27",
      "2026-11-28",
      "2026-11-27",
    ]);
  });
});
