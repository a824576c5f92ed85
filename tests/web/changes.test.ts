import { expect, it } from "vitest";

import type { Goal, Schemas, Segment } from "@/api/client";
import { changeLines, differenceWords, fieldWords, thingWords } from "@/words/changes";
import { PLAIN_MATCH } from "@/words/segments";

const NAMING = { registry: undefined, segments: [] };

it("says what was changed, from what to what", () => {
  expect(differenceWords({ field: "definition.counts", before: "once a visit", after: "every time" })).toBe(
    "counts: once a visit → every time",
  );
  expect(differenceWords({ field: "own_networks", before: null, after: "10.0.0.0/8" })).toBe("own networks: 10.0.0.0/8");
  expect(differenceWords({ field: "role", before: "viewer", after: null })).toBe("role: viewer, taken away");
  expect([fieldWords("a_b.c"), thingWords("log reading"), thingWords("goal")]).toEqual(["a b, c", "Reading of logs", "Goal"]);
});

const lines = (definition: Schemas["ChangeOut"]["definition"], ...fields: string[]) =>
  changeLines(
    {
      id: 1,
      at: "2026-11-25T12:00:00Z",
      by: null,
      thing: "",
      name: null,
      fields: fields.map((field) => ({ field, before: null, after: "new" })),
      definition,
    },
    NAMING,
    "EUR",
  );

const page = (value: string) => ({ ...PLAIN_MATCH, kind: "view" as const, page: { test: "is" as const, value } });

it("says what a goal counts, who is in a segment and what the steps of a funnel are as a whole", () => {
  const goal: Goal = { match: page("/thanks"), counts: "once a visit", value: { kind: "none" } };
  expect(lines({ kind: "goal", before: null, after: goal }, "name", "definition.match.kind")).toEqual([
    "name: new",
    "counts: views of pages that are /thanks, once a visit",
    "worth: no value",
  ]);
  expect(lines({ kind: "goal", before: goal, after: { ...goal, counts: "every time" } }, "definition.counts")).toEqual([
    "counts: views of pages that are /thanks, once a visit → views of pages that are /thanks, every time",
  ]);
  const segment: Segment = { of: "visits", where: { kind: "group", of: "all", conditions: [] } };
  expect(lines({ kind: "segment", before: segment, after: { ...segment, of: "people" } }, "definition.of")).toEqual([
    "who is in it: All visits → Everybody",
  ]);
  const funnel: Schemas["Funnel"] = { steps: [page("/basket"), page("/pay")], units: "visits", window_minutes: null, directly_next: false };
  expect(lines({ kind: "funnel", before: null, after: funnel }, "name", "definition.funnel.steps", "definition.funnel.units")).toEqual([
    "name: new",
    "steps: /basket, then /pay",
    "units: new",
  ]);
});

it("says field by field what has no words of its own", () => {
  const segment: Segment = { of: "visits", where: { kind: "group", of: "all", conditions: [] } };
  expect(lines({ kind: "segment", before: segment, after: segment }, "definition.where.of")).toEqual(["where, of: new"]);
  expect(lines(null, "live", "note")).toEqual(["live: new", "note: new"]);
});
