import { describe, expect, it } from "vitest";

import { band, placed, type PathPoint } from "@/charts/pathLayout";
import { readView } from "@/state/address";
import { readOpened, treeOf, wayPart } from "@/views/explain/paths/tree";
import { columnName, nodeWords, oneIn, pathSaid, wayWords } from "@/words/paths";
import { segmentWords } from "@/words/segments";

const point = (id: string, visits: number, nexts: PathPoint[] | null = null): PathPoint => ({
  id,
  kind: "step",
  visits,
  converted: 0,
  nexts,
});
const page = (value: string) => ({ of: "page" as const, value });
const CENTRE = { dimension: "page", value: "/courses" };
const count = (visits: number, converted = 0) => ({ visits, converted, before: null });
const BRANCHES = [
  { chain: [], nodes: [{ ...count(60, 9), step: page("/a") }, { ...count(20), step: page("/b") }], more: { ...count(10), values: 3 }, ended: count(10) },
  { chain: [page("/a")], nodes: [{ ...count(60, 9), step: page("/c") }], more: { ...count(0), values: 0 }, ended: count(0) },
]; // prettier-ignore

describe("the layout of ways", () => {
  const all = placed([point("a", 60, [point("c", 30), point("d", 30)]), point("b", 1)], 5, { top: 100 });
  const by = (id: string) => all.find((one) => one.point.id === id);

  it("keeps heights true to visits, with room for words", () => {
    expect([by("a")?.barHeight, by("b")?.barHeight, by("b")?.height]).toEqual([300, 5, 22]);
    expect(by("b")?.barTop).toBe((by("b")?.top ?? 0) + 8.5);
  });

  it("puts parts on the edge one below the other, and nothing over anything else", () => {
    expect([by("a")?.partTop, by("b")?.partTop]).toEqual([100, 400]);
    expect([by("c")?.partTop, by("d")?.partTop]).toEqual([by("a")?.barTop, (by("a")?.barTop ?? 0) + 150]);
    for (const depth of [1, 2]) {
      const column = all.filter((one) => one.depth === depth).sort((one, other) => one.top - other.top);
      column
        .slice(1)
        .forEach((one, place) => expect(one.top).toBeGreaterThanOrEqual((column[place]?.top ?? 0) + (column[place]?.height ?? 0)));
    }
  });

  it("lays thousands of nodes in a moment, each in its column", () => {
    const many = placed(Array.from({ length: 2_000 }, (_, i) => point(String(i), 2_000 - i)), 0.01, { top: 0 }); // prettier-ignore
    expect(many.length).toBe(2_000);
    expect(new Set(many.map((one) => one.top)).size).toBe(2_000);
  });

  it("draws a band between two edges", () => {
    expect(band(0, 10, 100, 20, 5)).toEqual({
      area: "M0 10C50 10 50 20 100 20V25C50 25 50 15 0 15Z",
      edges: "M0 10C50 10 50 20 100 20M0 15C50 15 50 25 100 25",
    });
  });
});

describe("the tree of ways", () => {
  it("has what was opened, what is more, and who ended", () => {
    const [a, b, more, ended] = treeOf(BRANCHES, "forward", "pages");
    expect([a?.name, a?.nexts?.map((one) => one.name), b?.nexts]).toEqual(["/a", ["/c"], null]);
    expect([more?.name, more?.kind, ended?.name, ended?.visits]).toEqual(["3 more pages", "more", "left the site", 10]);
    expect(treeOf(BRANCHES, "backward", "pages").at(-1)?.name).toBe("arrived");
  });

  it("makes of each node the visits that went exactly that way", () => {
    const [a, , more, ended] = treeOf(BRANCHES, "forward", "pages");
    const said = (node: NonNullable<typeof a>) => {
      const part = wayPart(node, CENTRE, "pages");
      return part.kind === "segment" ? segmentWords(part.segment, { registry: undefined, segments: [] }) : part;
    };
    expect(a?.nexts?.[0] && said(a.nexts[0])).toBe("Visits that came to /courses and went on to /a, then /c");
    expect(ended && said(ended)).toBe("Visits that came to /courses and left the site");
    expect(more && said(more)).toBe("Visits that came to /courses and went on to another than /a, /b");
    const many = more && { ...more, told: Array.from({ length: 200 }, (_, i) => page(`/${i}`)) };
    expect(many && said(many)).toBe("Visits that came to /courses and went on to another than /0, /1, /2, 197 more");
    expect(many && said({ ...many, side: "backward" })).toBe("Visits that came to /courses from another than /0, /1, /2, 197 more");
  });

  it("reads from an address what makes sense alone", () => {
    const opened = { forward: [{ chain: [page("/a")], most: 5 }], backward: null, isTable: true };
    expect(readOpened(opened)).toEqual(opened);
    expect(readOpened({ forward: [{ chain: [{ of: "x", value: "/a" }], most: 5 }, { chain: [], most: 0 }], backward: "x" })).toEqual({
      forward: [], backward: null, isTable: false,
    }); // prettier-ignore
    expect(readOpened([])).toBeNull();
    expect(readView({ centre: "page:/courses", along: "both" })).toEqual({ centre: "page:/courses", along: "both" });
    expect(readView({ centre: "courses", along: "hits" })).toEqual({});
  });
});

describe("ways in words", () => {
  it("say a way in the order in which it is gone", () => {
    expect(nodeWords({ side: "forward", kind: "step", chain: [page("/a"), page("/b")], name: "/b" }, CENTRE)).toBe(
      "/courses, then /a, then /b",
    );
    expect(nodeWords({ side: "backward", kind: "ended", chain: [page("/a")], name: "arrived" }, CENTRE)).toBe(
      "arrived, then /a, then /courses",
    );
    const way = {
      kind: "way" as const,
      steps: "pages" as const,
      centre: CENTRE,
      forward: [],
      backward: [page("/a")],
      left: true,
      arrived: true,
      next_other_than: [],
      before_other_than: [],
    };
    expect(wayWords(way)).toBe("came to /courses from arriving, then /a and left the site");
    expect([columnName("forward", 3), columnName("backward", 2)]).toEqual(["Third after", "Two before"]);
  });

  it("say what most do next, and who leaves at once", () => {
    expect([oneIn(1 / 3), oneIn(0.125), oneIn(0.62), oneIn(0.29)]).toEqual(["one in three", "one in eight", "62\u00a0%", "29\u00a0%"]);
    expect(pathSaid({ centre: count(100, 12), forward: BRANCHES }, CENTRE)).toEqual({
      middle: "100 visits that saw /courses",
      next: { value: "/a", share: "60\u00a0%", converted: "9 of 12" },
      left: "one in ten",
    });
  });
});
