import { describe, expect, it } from "vitest";

import { readShown } from "@/ledger/shown";
import {
  elsewhere,
  narrowed,
  renarrowed,
  narrowings,
  parseSearch,
  readView,
  samePeriod,
  showing,
  stringifySearch,
  widened,
} from "@/state/address";
import { viewAt } from "@/state/paths";
import { daysIn, isDay, plusDays, weekday } from "@/state/days";

const all = () => true;

describe("the address", () => {
  it("keeps what it says through writing and reading", () => {
    const search = {
      from: "2026-11-01",
      to: "2026-11-28",
      versus: "year",
      goal: 3,
      only: ["channel:Email", "page:/shop/a b"],
      without: ["device:phone"],
    };
    const text = stringifySearch(search);
    expect(text).toContain("only=channel:Email&only=page:/shop/a+b");
    expect(readView(parseSearch(text))).toEqual(search);
    expect(stringifySearch({ goal: undefined, visitor: "" })).toBe("");
  });

  it.each([
    [{ from: "2026-11-28", to: "2026-11-01" }],
    [{ from: "2026-02-31x", to: "2026-11-01" }],
    [{ versus: "ever" }],
    [{ goal: "0" }],
    [{ goal: "none" }],
    [{ only: ["without a colon"] }],
    [{ visitor: "v".repeat(65) }],
    [{ shown: "no JSON" }],
    [{ shown: "[1]" }],
    [{ shown: "{}" }],
    [{ shown: JSON.stringify({ Channels: "x".repeat(8_000) }) }],
  ])("leaves out what makes no sense: %j", (given) => {
    expect(readView(given)).toEqual({});
  });

  it("reads values of one dimension together, and only of dimensions that are known", () => {
    const search = { only: ["source:letter", "source:card", "page:/a:b", "gone:x"], without: ["source:podcast"] };
    expect(narrowings(search, (dimension) => dimension !== "gone")).toEqual([
      { dimension: "source", values: ["letter", "card"], without: false },
      { dimension: "page", values: ["/a:b"], without: false },
      { dimension: "source", values: ["podcast"], without: true },
    ]);
  });

  it("never takes a value and leaves it out at once", () => {
    const taken = narrowed({}, "source", "letter", "only");
    expect(taken).toEqual({ only: ["source:letter"], without: undefined });
    expect(narrowed(taken, "source", "letter", "without")).toEqual({ only: undefined, without: ["source:letter"] });
    expect(narrowed(taken, "source", "letter", "only").only).toEqual(["source:letter"]);
    const both = narrowed(taken, "source", "card", "add");
    expect(both.only).toEqual(["source:letter", "source:card"]);
    const channels = { dimension: "source", values: ["letter", "card"], without: false };
    expect(renarrowed(both, channels, ["card", "shop"]).only).toEqual(["source:card", "source:shop"]);
    expect(renarrowed({ ...both, without: ["source:shop", "device:phone"] }, channels, ["shop"])).toEqual({
      only: ["source:shop"],
      without: ["device:phone"],
    });
    expect(renarrowed(both, channels, []).only).toBeUndefined();
    expect(narrowed({ ...both, only: [...(both.only ?? []), "channel:Email"] }, "source", "shop", "only").only).toEqual([
      "channel:Email",
      "source:shop",
    ]);
    const [filter] = narrowings(taken, all);
    expect(filter && widened(taken, filter)).toEqual({ only: undefined, without: undefined });
  });
});

describe("what parts of a view show", () => {
  it("stands in the address until another view is gone to", () => {
    const sorted = showing({ goal: 3 }, "Channels", { sort: { by: "visits", descending: true } });
    expect(readView(parseSearch(stringifySearch({ ...sorted })))).toEqual(sorted);
    const both = showing(sorted, "course", "visits");
    expect(both.shown).toEqual({ Channels: { sort: { by: "visits", descending: true } }, course: "visits" });
    expect(showing(showing(both, "course", undefined), "Channels", undefined).shown).toBeUndefined();
    const long = showing(showing(both, "a", "x".repeat(5_000)), "b", "x".repeat(5_000));
    expect(Object.keys(long.shown ?? {})).toEqual(["b"]);
    expect(elsewhere(both)).toMatchObject({ goal: 3, shown: undefined });
  });

  it.each([
    [null, null],
    ["text", null],
    [{}, {}],
    [
      {
        sort: { by: 3 },
        query: "",
        whole: 1,
        where: "x",
        open: [
          [["Email"], 0],
          ["Email", 20],
          [[1], 20],
        ],
      },
      {},
    ],
    [
      { sort: { by: "visits", descending: false }, query: "e", whole: true, open: [[["Email"], 20]] },
      { sort: { by: "visits", descending: false }, query: "e", whole: true, open: [[["Email"], 20]] },
    ],
    [{ where: [{ of: "visits", test: "≥", value: 3 }, { of: "visits" }, 4] }, { where: [{ of: "visits", test: "≥", value: 3 }] }],
  ])("is read as far as it makes sense: %j", (given, read) => {
    expect(readShown(given)).toEqual(read);
  });

  it("holds the rows that were opened last", () => {
    const open = Array.from({ length: 60 }, (_, i) => [[`row ${i}`], 20]);
    expect(readShown({ open })?.open?.map(([[name]]) => name)).toEqual(open.slice(10).map(([path]) => (path as string[])[0]));
    expect(
      readShown({ open: [[["x".repeat(2_000)], 20], ...open.slice(0, 3)].flatMap((one) => [one, one, one, one]) })?.open?.length,
    ).toBeLessThan(16);
  });
});

describe("days", () => {
  it("are counted in UTC, over the end of a month, a leap day and a change of clocks", () => {
    expect(plusDays("2028-02-28", 1)).toBe("2028-02-29");
    expect(plusDays("2026-03-28", 2)).toBe("2026-03-30");
    expect(plusDays("2026-01-01", -1)).toBe("2025-12-31");
    expect(daysIn("2026-10-25", "2026-10-25")).toBe(1);
    expect(daysIn("2026-10-01", "2026-10-31")).toBe(31);
    expect([weekday("2026-11-23"), weekday("2026-11-29")]).toEqual([0, 6]);
  });

  it("are told from other texts", () => {
    expect(["2026-11-25", "2026-13-01", "25 Nov", undefined].map(isDay)).toEqual([true, false, false, false]);
    expect(samePeriod({ first: "2026-01-01", last: "2026-01-02" }, { first: "2026-01-01", last: "2026-01-03" })).toBe(false);
  });
});

describe("a view that was kept as text", () => {
  it("is found again with what it was read under", () => {
    expect(viewAt("/read/pages?only=channel:Email&versus=year")).toEqual({
      to: "/s/$site/read/pages",
      search: { only: ["channel:Email"], versus: "year" },
    });
    expect(viewAt("/watch/now")).toEqual({ to: "/s/$site/watch/now", search: {} });
  });
  it.each(["/read/gone", "//elsewhere.example/read/pages", "", "/read/pages/../../x", "/constructor"])(
    "is none where there is no such view: %s",
    (address) => {
      expect(viewAt(address)).toBeNull();
    },
  );
});
