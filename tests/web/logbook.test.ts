import { expect, it } from "vitest";

import { daysWords, flagsOf, viewOf } from "@/words/logbook";

const entry = (first: string, last = first) => ({ kind: "note" as const, first, last, text: `From ${first}` });

it("entries are flags at the step in which they begin", () => {
  const days = ["2026-11-01", "2026-11-02", "2026-11-03"];
  const at = (...entries: ReturnType<typeof entry>[]) => flagsOf(entries, days, "2026-11-03").map((flag) => flag.at);
  expect(at(entry("2026-11-02"))).toEqual(["2026-11-02"]);
  expect(at(entry("2026-10-20", "2026-11-02"))).toEqual(["2026-11-01"]); // began before, and goes on
  expect(at(entry("2026-10-20"), entry("2026-11-04"))).toEqual([]);
  const weeks = flagsOf([entry("2026-11-12")], ["2026-11-02", "2026-11-09"], "2026-11-15");
  expect(weeks).toEqual([{ at: "2026-11-09", text: "From 2026-11-12" }]);
  const hours = ["2026-11-02T00:00:00+00:00", "2026-11-02T01:00:00+00:00"];
  expect(flagsOf([entry("2026-11-01", "2026-11-02")], hours, "2026-11-02").map((flag) => flag.at)).toEqual([hours[0]]);
  expect(flagsOf([entry("2026-11-02")], [], "2026-11-02")).toEqual([]);
});

it("an entry keeps the view in hand, within its site, and nothing of another place", () => {
  expect(viewOf("/s/mill/read/pages?only=channel:Email#top", "mill")).toBe("/read/pages?only=channel:Email");
  expect(viewOf("/s/mill/watch/visits/somebody/3", "mill")).toBe("");
  expect(viewOf("/s/other/read/pages", "mill")).toBe("");
  expect(viewOf("/", "mill")).toBe("");
});

it("days are told as one would", () => {
  expect([daysWords(entry("2026-11-02")), daysWords(entry("2026-11-02", "2026-11-04"))]).toEqual(["2 Nov 2026", "2 Nov to 4 Nov 2026"]);
});
