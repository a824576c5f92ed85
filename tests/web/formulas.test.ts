import { expect, it } from "vitest";

import type { Measure } from "@/api/client";
import { formulaNumbers } from "@/words/formulas";

const measure = (name: string, title: string, formula: string, unit = "count"): Measure => ({
  name,
  title,
  unit,
  hidden: false,
  formula,
  meaning: "",
  better: "more",
  chance: "none",
  parts: [],
});
const visits = measure("visits", "Visits", "visits that started in the period");

it.each([
  [
    "both sides are measures",
    measure("bounce_rate", "Bounce rate", "bounces ÷ visits", "percent"),
    { bounce_rate: 0.25, bounces: 25, visits: 100 },
    "25 ÷ 100",
  ],
  [
    "what stands above is no measure",
    measure("views_per_visit", "Views", "views of the visits ÷ visits", "number"),
    { views_per_visit: 2.5, visits: 100 },
    "250 ÷ 100",
  ],
  [
    "it is a time",
    measure("engaged_per_visit", "Engaged", "sum of engaged time ÷ visits", "seconds"),
    { engaged_per_visit: 30, visits: 10 },
    "5 min ÷ 10",
  ],
  [
    "what stands below is no measure",
    measure("exit_rate", "Exit rate", "exits ÷ visits that saw it", "percent"),
    { exit_rate: 0.2, exits: 30 },
    "30 ÷ 150",
  ],
  [
    "it is a difference",
    measure("reached_later", "Gone on to", "visits that saw it − entries"),
    { reached_later: 70, entries: 30 },
    "100 − 30",
  ],
  [
    "it is nothing over nothing",
    measure("bounce_rate", "Bounce rate", "bounces ÷ visits", "percent"),
    { bounce_rate: null, bounces: 0, visits: 0 },
    null,
  ],
  ["none of a none", measure("exit_rate", "Exit rate", "exits ÷ visits that saw it", "percent"), { exit_rate: 0, exits: 0 }, null],
  ["it is counted as it is", visits, { visits: 3 }, null],
])("a formula has its numbers where %s", (_, of, values, said) => {
  const parts = [visits, measure("bounces", "Bounces", ""), measure("exits", "Exits", ""), measure("entries", "Entries", "")];
  expect(formulaNumbers(of, values, parts)).toBe(said);
});
