import { describe, expect, it } from "vitest";

import type { Registry } from "@/api/client";
import { seasonWords, withExpected } from "@/charts/course";
import { chartWords, insightText, type Insight } from "@/words/insights";

const dimensions = [
  { name: "source", title: "Source" },
  { name: "entry_page", title: "Landing page" },
  { name: "page", title: "Page" },
];
const naming = { registry: { measures: [], dimensions } as unknown as Registry, goal: "Course bookings", windows: 8 };
const insight = (given: Partial<Insight>): Insight => ({
  kind: "grew",
  dimension: "source",
  value: "letter",
  a: 144,
  a_of: 900,
  course: [],
  key: "",
  ...given,
});

describe("what is worth a look", () => {
  it.each<[Partial<Insight>, string, string]>([
    [
      { kind: "converters", a: 39, a_of: 139, b: 138, b_of: 3442, ratio: 6.998, low: 5.08, high: 9.46 },
      "39 of 139 people with Course bookings came from letter, but only 4.0 % of the others.",
      "7.0 times, between 5.1 and 9.5",
    ],
    [
      { kind: "converters", a: 2, a_of: 100, b: 300, b_of: 1000, ratio: 0.067, low: 0.02, high: 0.2 },
      "Only 2 of 100 people with Course bookings came from letter, against 30 % of the others.",
      "0.067 times, between 0.020 and 0.20",
    ],
    [
      { kind: "converters", a: 9, a_of: 100, b: 0, b_of: 1000, low: 12 },
      "9 of 100 people with Course bookings came from letter, and none of the others.",
      "at least 12 times",
    ],
    [{ b: 57.4 }, "144 visits came from letter, where 57 were expected.", "144 where 57 were expected"],
    [{ kind: "fell", a: 1, b: 3.26 }, "Only 1 visit came from letter, where 3.3 were expected.", "1 where 3.3 were expected"],
    [{ dimension: "", value: "", b: 100 }, "144 visits came, where 100 were expected.", "144 where 100 were expected"],
    [{ kind: "stopped", a: 0, b: 57 }, "No visit came from letter any more, where 57 were expected.", "0 where 57 were expected"],
    [
      { kind: "new", b: 0 },
      "For the first time, 144 visits came from letter; none did in the 8 periods before.",
      "144 where 0 were expected",
    ],
    [
      { kind: "weak landing", dimension: "entry_page", value: "/", a: 15, a_of: 1348, b: 32.6 },
      "15 of 1,348 visits that landed on / reached Course bookings; of visits from the same channels 33 would be usual.",
      "1.1 % where 2.4 % would be usual",
    ],
    [
      { kind: "seldom entered", dimension: "page", value: "/guides", a: 0, a_of: 693 },
      "/guides was seen in 693 visits and entered by none of them: people go on to it, and do not find it from outside.",
      "0 % entered by it",
    ],
    [
      {
        kind: "long bounces",
        dimension: "entry_page",
        value: "/rye",
        a: 70,
        a_of: 100,
        b: 400,
        b_of: 1000,
        engaged: 125,
        engaged_of_all: 30,
      },
      "70 of 100 visits that landed on /rye saw no other page, but read it for 2 min 5 s: they may have found what they came for.",
      "70 %, of all 40 %; all read 30 s",
    ],
    [
      {
        kind: "short bounces",
        dimension: "entry_page",
        value: "/rye",
        a: 70,
        a_of: 100,
        b: 400,
        b_of: 1000,
        engaged: 2,
        engaged_of_all: 30,
      },
      "70 of 100 visits that landed on /rye saw no other page, and left it after 2 s.",
      "70 %, of all 40 %; all read 30 s",
    ],
  ])("is told in a sentence: %j", (given, text, chart) => {
    const told = insight(given);
    expect([insightText(told, naming).replaceAll("\u00a0", " "), chartWords(told).replaceAll("\u00a0", " ")]).toEqual([text, chart]);
  });
});

const months = (values: (number | null)[]) =>
  values.map((now, place) => ({
    at: `${2025 + Math.floor((10 + place) / 12)}-${String(((10 + place) % 12) + 1).padStart(2, "0")}-01`,
    now,
    before: null,
  }));

describe("the season of a year", () => {
  it("is told of the month that stands out, by the day", () => {
    const points = months([310, 496, 310, 280, 310, 300, 310, 300, 310, 310, 300, 310, 5]);
    expect(seasonWords(points, "Visits", "count")).toBe(
      "December brings 1.6 times a usual month: visits a day, against the middle one of 12 months.",
    );
  });
  it("is silent where no month does, or too little is known", () => {
    expect(seasonWords(months([310, 320, 310, 280, 310, 300, 310, 300, 310, 310, 300, 310, 5]), "Visits", "count")).toBeNull();
    expect(seasonWords(months([310, 900]), "Visits", "count")).toBeNull();
    expect(seasonWords(months([1, 9, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1]), "Visits", "count")).toBeNull();
  });
});

it("the expected band stands by the days that it has", () => {
  const course = { points: months([1, 2]), bucket: "day" as const, incompleteFrom: undefined };
  const band = { at: ["2025-12-01"], low: [1], high: [3] };
  expect(withExpected(course, band)?.points.map((point) => point.expected)).toEqual([undefined, { low: 1, high: 3 }]);
  expect(withExpected(course, { at: [], low: [], high: [] })).toBe(course);
  expect(withExpected(null, band)).toBeNull();
});
