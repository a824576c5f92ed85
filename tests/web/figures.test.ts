import { describe, expect, it } from "vitest";

import { columnsOf, inOneHit, segmentOf, seriesByBucket, tableByRow } from "@/api/figures";
import { asForm, asGoal, pathOf } from "@/views/tag/goalFormValues";
import type { Goal } from "@/api/client";

const period = { first: "2026-11-01", last: "2026-11-02" };
const visits = { id: "visits", values: [7, 3], before: [5, null], is_significant: [true, false] };
const rate = { id: "rate", values: [0.5, null], low: [0.4, null], high: [0.6, null], few: [false, true], before: null };

describe("what a report answers", () => {
  it("is turned from columns into rows", () => {
    const total = [{ id: "visits", values: [10] }];
    const made = tableByRow({
      period,
      versus: null,
      dimensions: ["channel"],
      rows: [["Email"], [""]],
      count: 9,
      columns: [visits, rate],
      total,
      rest: { rows: 7, columns: [{ id: "visits", values: [null] }] },
      notes: [],
    });
    expect(made.rows).toEqual([
      {
        keys: ["Email"],
        values: { visits: 7, rate: 0.5 },
        before: { visits: 5 },
        interval: { rate: { low: 0.4, high: 0.6 } },
        few: [],
        is_significant: { visits: true },
      },
      {
        keys: [""],
        values: { visits: 3, rate: null },
        before: { visits: null },
        interval: {},
        few: ["rate"],
        is_significant: { visits: false },
      },
    ]);
    expect([made.count, made.total.values, made.total.before, made.rest?.rows, made.rest?.figures.values]).toEqual([
      9,
      { visits: 10 },
      null,
      7,
      { visits: null },
    ]);
  });

  it("is turned from columns into buckets", () => {
    const made = seriesByBucket({
      period,
      versus: null,
      bucket: "day",
      at: ["2026-11-01", "2026-11-02"],
      columns: [visits],
      total: [visits],
      courses: [],
      notes: [],
    });
    expect(made.points).toEqual([
      { at: "2026-11-01", values: { visits: 7 }, before: { visits: 5 } },
      { at: "2026-11-02", values: { visits: 3 }, before: { visits: null } },
    ]);
  });
});

describe("what is asked", () => {
  it("is a column for each measure and a segment of the filters", () => {
    expect(columnsOf(["visits"])).toEqual([{ id: "visits", measure: "visits" }]);
    expect(segmentOf([])).toBeNull();
    const plain = { kind: "dimension", dimension: "page", test: "one of", values: ["/a", "/b"] };
    expect(segmentOf([{ dimension: "page", values: ["/a", "/b"], without: false }])?.where.conditions).toEqual([plain]);
    expect(segmentOf([{ dimension: "page", values: ["/a", "/b"], without: true }])?.where.conditions).toEqual([
      { kind: "group", of: "none", conditions: [plain] },
    ]);
  });
});

describe("a goal in its form", () => {
  const match = {
    kind: "event" as const,
    names: ["book", "reserve"],
    name_test: "starts with" as const,
    page: { test: "is" as const, value: "/courses" },
    props: [{ key: "places", test: "≥" as const, value: 2 }],
    fields: [{ field: "plan", test: "is" as const, value: "paid" }],
    value: { test: "≥" as const, than: 50 },
  };
  const goal: Goal = { match, counts: "every time", value: { kind: "fixed", amount: 2.5 } };

  it("comes back as it was, with what the form has no fields for", () => {
    expect(asGoal(asForm(goal))).toEqual(goal);
    const orders: Goal = { ...goal, match: { ...match, kind: "order", names: [], name_test: "is" } };
    expect(asGoal(asForm(orders))).toEqual(orders);
  });

  it("loses what does not belong to another kind", () => {
    const plain = { names: [], name_test: "is", props: [], fields: match.fields, value: null };
    expect(asGoal({ ...asForm(goal), kind: "page", pattern: "/thanks" }).match).toEqual({
      ...plain,
      kind: "view",
      page: { test: "is", value: "/thanks" },
    });
    expect(asGoal({ ...asForm(null), kind: "event", event: "" }).match.names).toEqual([]);
    const pasted = { ...asForm(null), kind: "page" as const, pattern: "https://mill.example/thanks/?x=1" };
    expect(asGoal(pasted).match.page?.value).toBe("/thanks");
    expect(["https://mill.example", "/a b", "http://", "thanks"].map(pathOf)).toEqual(["/", "/a b", "http://", "thanks"]);
  });
});

describe("values of a row", () => {
  const at = (dimension: string) => ({ dimension, value: "x" });
  const isOfHit = (dimension: string) => dimension !== "channel";

  it("hold in one hit where several are of the hit", () => {
    expect(inOneHit([at("page"), at("channel")], isOfHit)).toEqual({ others: [at("page"), at("channel")], oneHit: null });
    const { others, oneHit } = inOneHit([at("page"), at("channel"), at("event")], isOfHit);
    expect(others).toEqual([at("channel")]);
    const is = (dimension: string) => ({ kind: "dimension", dimension, test: "is", values: ["x"] });
    expect(oneHit).toEqual({ kind: "group", of: "one hit", conditions: [is("page"), is("event")] });
  });
});
