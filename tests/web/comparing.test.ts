import { describe, expect, it } from "vitest";

import type { StoredGoal, StoredSegment } from "@/api/client";
import { segmentOf } from "@/api/figures";
import { ratioScale } from "@/charts/RatioMark";
import { asked, groupNames, groupWords, usualAgainst, usualGroup } from "@/views/explain/groups";
import { doing, evidence, likelihood, said, times } from "@/words/comparing";

const goal = (id: number, name: string): StoredGoal => ({
  id,
  name,
  goal: {
    match: { kind: "event", names: ["book"], name_test: "is", props: [], fields: [] },
    counts: "every time",
    value: { kind: "none" },
  },
});
const GOALS = [goal(1, "Course bookings"), goal(2, "Orders")];
const SEGMENTS: StoredSegment[] = [5, 6].map((id) => ({
  id,
  name: "By letter",
  note: "",
  segment: { of: "visits", where: { kind: "group", of: "all", conditions: [] } },
  by: null,
  at: "2026-11-01T00:00:00Z",
  archived: id === 6,
  used_in: [],
}));
const EMAIL = [{ dimension: "channel", values: ["Email"], without: false }];
const GIVEN = {
  period: { first: "2026-11-01", last: "2026-11-07" },
  segment: segmentOf(EMAIL),
  segments: SEGMENTS,
  goals: GOALS,
  goal: GOALS[1],
};

describe("groups", () => {
  it("are each goal's, that of the strip where it narrows, and everybody", () => {
    expect(groupNames(GIVEN)).toEqual(["goal:1", "goal:2", "segment", "saved:5", "everybody"]);
    expect(groupNames({ ...GIVEN, segment: null, segments: [] })).toEqual(["goal:1", "goal:2", "everybody"]);
    expect(groupWords("goal:1", "people", GIVEN)).toBe("people with Course bookings");
    expect(groupWords("everybody", "visits", GIVEN)).toBe("all visits");
  });
  it("fall back on the goal steered by where an address names none that there is", () => {
    expect(usualGroup(GIVEN, "goal:1")).toBe("goal:1");
    expect(usualGroup(GIVEN, "goal:9")).toBe("goal:2");
    expect(usualGroup({ ...GIVEN, goal: undefined, goals: [], segment: null, segments: [] }, undefined)).toBe("everybody");
    expect([
      usualAgainst("goal:1", undefined, SEGMENTS),
      usualAgainst("everybody", "rest", SEGMENTS),
      usualAgainst("goal:1", "year", SEGMENTS),
    ]).toEqual(["rest", "before", "year"]);
  });
  it("are asked for as segments: the strip's narrows both, unless it is the group itself", () => {
    const plain = { against: "rest", units: "people", by: null } as const;
    const goals = asked({ ...plain, group: "goal:1" }, GIVEN);
    expect([goals.group?.of, goals.group?.where.conditions[0]?.kind, goals.segment?.where.conditions.length]).toEqual(["people", "did", 1]);
    const own = asked({ ...plain, group: "segment", units: "visits" }, GIVEN);
    expect([own.segment, own.group?.of, own.against.kind]).toEqual([null, "visits", "rest"]);
    const before = asked({ ...plain, group: "everybody", against: "before", by: "page" }, GIVEN);
    expect([before.group, before.against, before.dimensions]).toEqual([
      null,
      { kind: "period", period: { first: "2026-10-25", last: "2026-10-31" } },
      ["page"],
    ]);
  });
});

describe("a row", () => {
  const row = { dimension: "source", value: "pinwheel", a: 17, b: 98, ratio: 6.045, low: 3.7, high: 9.67, p: 0.0001, corrected: 0.004 };
  const source = { name: "source", title: "Source" };
  it("is a sentence", () => {
    const { counts, stressed, interval } = said(row, { a: 140, b: 4879 }, ["people with Course bookings", "others"], source);
    expect(counts + stressed + interval).toBe(
      "17 of 140 people with Course bookings came from pinwheel, against 98 of 4,879 others: 6.0 times as likely, between 3.7 and 9.7 times at 95 %",
    );
    const never = said({ ...row, a: 0, ratio: 0, low: 0 }, { a: 140, b: 4879 }, ["visitors", "others"], source);
    expect(never.counts + never.stressed).toContain(
      "None of 140 visitors came from pinwheel, against 98 of 4,879 others: at most 9.7 times",
    );
  });
  it("says what is known where one group has none", () => {
    expect(likelihood({ ...row, b: 0, ratio: null, high: null })).toEqual(["at least 3.7 times as likely", ""]);
    expect(likelihood({ ...row, a: 0, ratio: 0, low: 0, high: 0.4 })).toEqual(["at most 0.40 times as likely", ""]);
  });
  it("names what is done with a value, also of a dimension that has no verb, and of no value", () => {
    expect(doing(source, "pinwheel", "now")).toEqual(["come from", "pinwheel"]);
    expect(doing({ name: "field.author", title: "Author" }, "Ida", "then")).toEqual(["had the author", "Ida"]);
    expect(doing(source, "", "now")).toEqual(["have no", "source"]);
  });
  it("shows two digits that mean something", () => {
    expect([times(0.0994), times(1.5), times(6.04), times(19.4)]).toEqual(["0.099", "1.5", "6.0", "19"]);
    expect([evidence(0.0001), evidence(0.0224), evidence(0.5)]).toEqual(["< 0.001", "0.022", "0.50"]);
  });
});

it("ratios stand on one logarithmic scale around as often, within bounds", () => {
  const scale = ratioScale([6, 0.5, null, 0], 200);
  expect(scale(2) - scale(1)).toBeCloseTo(scale(1) - scale(0.5));
  expect(ratioScale([1000, 0.0001], 200).domain()).toEqual([1 / 50, 50]);
  expect(ratioScale([], 200).domain()).toEqual([0.4, 2.5]);
});
