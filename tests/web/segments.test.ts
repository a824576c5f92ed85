import { describe, expect, it } from "vitest";

import type { Condition, Registry, Segment, StoredSegment } from "@/api/client";
import { besideOf, columnsOf, narrowedBy, segmentOf } from "@/api/figures";
import { parseSearch, partOf, partText, readView, stringifySearch } from "@/state/address";
import { draftOf, faultsOf, faultsSaid, newMatch, segmentOfDraft } from "@/views/explain/segments/draft";
import { conditionWords, partWords, segmentWords } from "@/words/segments";

const registry = { measures: [], dimensions: [{ name: "entry_page", title: "Entry page", of: "visit", family: "content", meaning: "" }] };
const LETTER = { id: 3, name: "By letter" } as StoredSegment;
const naming = { registry: registry as unknown as Registry, segments: [LETTER] };
const plain = { names: [], name_test: "is" as const, page: null, props: [], fields: [], value: null };
const event = (name: string) => ({ ...plain, kind: "event" as const, names: [name] });
const view = (value: string, test: "is" | "starts with" = "is") => ({ ...plain, kind: "view" as const, page: { test, value } });
const is = (dimension: string, ...values: string[]): Condition => ({ kind: "dimension", dimension, test: "one of", values });
const segment = (of: Segment["of"], conditions: Condition[], group: "all" | "any" | "none" = "all"): Segment => ({
  of,
  where: { kind: "group", of: group, conditions },
});

describe("a segment in words", () => {
  const inOrder: Condition = { kind: "in order", steps: [event("file download"), event("course booked")], within_minutes: 10_080 };
  it("says who is meant, what they did, and what they never did", () => {
    const none: Condition = { kind: "group", of: "none", conditions: [is("country", "IE", "IS")] };
    expect(segmentWords(segment("people", [inOrder, none]), naming)).toBe(
      "People who downloaded a file and later, within 7 days, did course booked, and never were in Ireland or Iceland",
    );
    expect(segmentWords(segment("visits", [is("channel", "Email"), is("channel", "Direct")], "any"), naming)).toBe(
      "Visits that came by Email or came by Direct",
    );
    expect(segmentWords(segment("visits", [none]), naming)).toBe("Visits that never were in Ireland or Iceland");
    expect(segmentWords(segment("people", []), naming)).toBe("Everybody");
    expect(segmentWords(segment("visits", [], "any"), naming)).toBe("No visits");
  });
  it.each<[Condition, string]>([
    [{ kind: "did", match: view("/shop", "starts with"), test: "at least", times: 2 }, "saw a page starting with “/shop” at least twice"],
    [{ kind: "did", match: { ...plain, kind: "order" }, test: "exactly", times: 0 }, "never ordered"],
    [{ kind: "number", of: "duration", test: "≥", than: 90 }, "lasted at least 1 min 30 s"],
    [{ kind: "number", of: "views", test: ">", than: 3 }, "had more than 3 views"],
    [{ kind: "dimension", dimension: "entry_page", test: "contains", values: ["/de"] }, "had an entry page containing “/de”"],
    [{ kind: "dimension", dimension: "entry_page", test: "is empty", values: [] }, "had no entry page"],
    [{ kind: "saved", id: 3 }, "were in “By letter”"],
    [
      { kind: "segment", segment: segment("people", [inOrder]) },
      "were among people who downloaded a file and later, within 7 days, did course booked",
    ],
    [
      {
        kind: "did",
        match: { ...event("signup"), props: [{ key: "plan", test: "is not", value: "free" }], page: { test: "is", value: "/join" } },
        test: "at least",
        times: 1,
      },
      "did signup on /join with plan not being free",
    ],
  ])("says a condition: %j", (condition, words) => {
    expect(conditionWords(condition, "visits", naming)).toBe(words);
  });
  it("says what holds in one hit", () => {
    const oneHit: Condition = { kind: "group", of: "one hit", conditions: [is("channel", "Email"), is("entry_page", "/shop")] };
    const [alone, beside] = [segment("visits", [oneHit]), segment("visits", [oneHit, { kind: "saved", id: 3 }])];
    expect(segmentWords(alone, naming)).toBe("Visits that came by Email and landed on /shop, in one hit");
    expect(segmentWords(beside, naming)).toBe("Visits that (came by Email and landed on /shop, in one hit) and were in “By letter”");
  });
  it("calls a saved one by its name", () => {
    expect(partWords({ kind: "saved", id: 3 }, naming)).toBe("By letter");
    expect(partWords({ kind: "segment", segment: segment("visits", [is("channel", "Email")]) }, naming)).toBe("Visits that came by Email");
  });
});

describe("a segment as it is written", () => {
  const whole = segment("people", [
    is("channel", "Email", ""),
    { kind: "number", of: "views", test: "≥", than: 2.5 },
    { kind: "did", match: { ...event("a"), names: ["a", "b"], value: { test: "≥", than: 5 } }, test: "exactly", times: 0 },
    { kind: "in order", steps: [view("/a"), { ...plain, kind: "order" }], within_minutes: 90 },
    {
      kind: "group",
      of: "none",
      conditions: [
        { kind: "saved", id: 3 },
        { kind: "segment", segment: segment("visits", []) },
      ],
    },
  ]);
  it("comes back as it was, with what the editor has no words for", () => {
    expect(segmentOfDraft(draftOf(whole))).toEqual(whole);
    expect(faultsOf(draftOf(whole).where)).toEqual({});
  });
  it("says what is not said yet, where it stands", () => {
    expect(
      faultsOf({
        kind: "group",
        of: "all",
        conditions: [
          { kind: "dimension", dimension: "channel", test: "is", values: [null] },
          {
            kind: "group",
            of: "any",
            conditions: [
              { kind: "did", match: newMatch("event"), test: "at least", times: "1" },
              { kind: "saved", id: null },
            ],
          },
          { kind: "number", of: "views", test: "=", than: "many" },
        ],
      }),
    ).toEqual({ "0": "Say which value.", "1.0": "Say which event.", "1.1": "Choose a segment.", "2": "Give a number." });
    expect(
      faultsSaid([
        { field: "segment.where.conditions.1.group.conditions.0.did.times", text: "too many" },
        { field: "name", text: "x" },
      ]),
    ).toEqual({
      "1.0": "Too many.",
    });
  });
});

describe("whole segments in an address", () => {
  it("stand by their ids or in full, each once and no more than four", () => {
    const written = JSON.stringify(segment("visits", [is("channel", "Email")]));
    const search = { segment: ["3", written], beside: ["5"], edit: "new", draft: written };
    expect(readView(parseSearch(stringifySearch(search)))).toEqual(search);
    expect(readView({ segment: ["1", "1", "2", "3", "4", "5"] }).segment).toEqual(["1", "2", "3", "4"]);
    expect(
      readView({
        segment: ["0", "x", "{}", "{", "null", "[1]", `{"where":{"conditions":[],"x":"${"x".repeat(6000)}"}}`],
        edit: "old",
        draft: "{",
      }),
    ).toEqual({});
    expect(partOf(written)).toEqual({ kind: "segment", segment: segment("visits", [is("channel", "Email")]) });
    expect(partText({ kind: "saved", id: 3 })).toBe("3");
  });
  it("narrow what is read together with chips", () => {
    const filters = [{ dimension: "channel", values: ["Email"], without: false }];
    const both = segmentOf(filters, [{ kind: "saved", id: 3 }]);
    expect(both?.where.conditions.map((one) => one.kind)).toEqual(["dimension", "saved"]);
    expect(narrowedBy(both, filters)?.where.conditions).toHaveLength(3);
    expect([narrowedBy(null, []), narrowedBy(both, [])]).toEqual([null, both]);
  });
  it("have a column each side by side, of as many measures as one request takes", () => {
    const columns = columnsOf(["visits", "value"], [{ kind: "saved", id: 3 }]);
    expect(columns.map((one) => one.id)).toEqual(["visits", "value", "visits beside 0", "value beside 0"]);
    const measures = Array.from({ length: 12 }, (_, i) => `m${i}`);
    expect(
      columnsOf(
        measures,
        [1, 2, 3, 4].map((id) => ({ kind: "saved", id })),
      ).length,
    ).toBe(12 + 4 * 4);
    expect(besideOf("bounce_rate beside 2")).toEqual({ measure: "bounce_rate", place: 2 });
    expect(besideOf("visits")).toBeNull();
  });
});
