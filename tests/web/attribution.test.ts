import { describe, expect, it } from "vitest";

import { readCredit, requested, USUAL } from "@/views/explain/attribution/columns";
import { credit, endsSaid, modelLabel, modelName, mostly, points, reachWords, touchesSaid, weightsOf } from "@/words/attribution";

const weights = (first: number, between: number, last: number) => ({ kind: "position based" as const, first, between, last });

describe("models", () => {
  it("have the names of the screen, own weights where no other has them", () => {
    expect(["first touch", "on the spot"].map((one) => modelLabel(one as "first touch"))).toEqual(["First touch", "On the spot"]);
    expect([weights(40, 20, 40), weights(60, 20, 20), weights(20, 20, 60), weights(1, 2, 3)].map(modelName)).toEqual([
      "position",
      "start",
      "end",
      "own",
    ]);
    expect(modelLabel({ kind: "time decay", half_life_days: 3 })).toBe("Time decay");
  });

  it("are drawn as heavy as they are", () => {
    expect(weightsOf(weights(40, 20, 40))).toEqual([1, 0.25, 0.25, 1]);
    expect([weightsOf("first touch"), weightsOf("last touch")]).toEqual([[1, 0, 0, 0], [0, 0, 0, 1]]); // prettier-ignore
  });

  it("say how far back they look", () => {
    expect((["own visit", 1, 30] as const).map(reachWords)).toEqual(["own visit", "1 day", "30 days"]);
  });
});

describe("credit in words", () => {
  it("tells who begins and who closes, or that it is too few to say", () => {
    expect([mostly(39, 28), mostly(14, 30), mostly(10, 11), mostly(3, 1), mostly(0, 0)]).toEqual(["begins", "closes", "either", "few", ""]);
    const rows = [{ value: "Email", first: 16, last: 29 }, { value: "Search", first: 39, last: 28 }, { value: "", first: 50, last: 0 }, { value: "Tiny", first: 6, last: 2 }]; // prettier-ignore
    expect([endsSaid(rows).closes?.value, endsSaid(rows).begins?.value]).toEqual(["Email", "Search"]);
    expect(endsSaid(rows.slice(3))).toEqual({ closes: null, begins: null });
  });

  it("says about how many conversions models agree", () => {
    const lengths = [[0, 2], [1, 76], [2, 21], [13, 10]].map(([touches = 0, conversions = 0]) => ({ touches, conversions })); // prettier-ignore
    expect(touchesSaid(lengths, "bookings")).toBe(
      "76 of the 109 bookings had one touch only, and every model agrees about those. What models argue over is the other 31. 2 had none in reach.",
    );
    expect(touchesSaid(lengths.slice(1, 2), "bookings")).toBe("76 of the 76 bookings had one touch only: every model says the same.");
  });

  it("writes credits with a digit, and gaps in points with a sign", () => {
    expect([credit(22.25), credit(0), credit(null), points(0.3, 0.256), points(0.1, 0.25), points(0.1, 0.1001), points(null, 0.1)]).toEqual(
      ["22.3", "0.0", "–", "+4.4", "−15.0", "0.0", "–"], // prettier-ignore
    );
  });
});

describe("columns in the address", () => {
  it("are read as they were, without what makes no sense", () => {
    expect(readCredit(JSON.parse(JSON.stringify(USUAL)))).toEqual(USUAL);
    const own = { measure: "value", model: weights(1, 2, 3), reach: "own visit", segment: 3, product: "rye" };
    const bad = [{ ...own, model: "best" }, { ...own, reach: 0 }, { ...own, model: weights(0, 0, 0) }, "x"];
    expect(readCredit({ ...USUAL, columns: [...bad, own], sort: 9, below: { Email: "last", x: "y" } })).toEqual({
      ...USUAL, columns: [own], sort: 0, below: { Email: "last" },
    }); // prettier-ignore
    expect([readCredit({ columns: bad }), readCredit(null)]).toEqual([null, null]);
  });

  it("are asked for with both ends, of segments that are there", () => {
    const asked = requested({ ...USUAL, columns: [{ measure: "value", model: "linear", reach: 7, segment: 3, goal: 2 }] }, () => true);
    expect(asked.map((one) => [one.id, one.model, one.reach])).toEqual([["c0", "linear", 7], ["first", "first touch", 7], ["last", "last touch", 7]]); // prettier-ignore
    expect([asked[0]?.goal, asked[0]?.segment?.where.conditions, asked[1]?.segment]).toEqual([2, [{ kind: "saved", id: 3 }], null]);
    expect(
      requested({ ...USUAL, columns: [{ measure: "value", model: "linear", reach: 7, segment: 3 }] }, () => false)[0]?.segment,
    ).toBeNull();
  });
});
