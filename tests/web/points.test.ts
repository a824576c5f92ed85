import { expect, it } from "vitest";

import { moved } from "@/charts/usePoints";

it("keys go along the points of a chart and stay within it", () => {
  const along = (keys: string[], count: number, across?: number) =>
    keys.reduce<number | null>((at, key) => moved(key, at, count, across) ?? at, null);
  expect(along(["ArrowRight", "ArrowRight"], 5)).toBe(1);
  expect(along(["ArrowLeft"], 5)).toBe(4);
  expect(along(["End", "ArrowRight"], 5)).toBe(4);
  expect(along(["Home", "ArrowLeft"], 5)).toBe(0);
  expect(moved("ArrowDown", 2, 5)).toBeNull(); // in one row, up and down are the page's
  expect(along(["ArrowDown", "ArrowDown"], 3, 1)).toBe(1);
  expect(moved("ArrowRight", 0, 3, 1)).toBeNull();
  const grid = (...keys: string[]) => along(keys, 14, 6); // two whole rows, and one of two
  expect(grid("ArrowDown", "ArrowDown", "ArrowRight")).toBe(7);
  expect(grid("Home", "ArrowLeft")).toBe(0);
  expect(grid("ArrowDown", "ArrowDown", "ArrowLeft")).toBe(6);
  expect(grid("End", "ArrowRight")).toBe(13);
  expect(grid("Home", "ArrowRight", "ArrowRight", "ArrowRight", "ArrowDown", "ArrowDown")).toBe(9);
  expect(grid("ArrowDown", "ArrowUp")).toBe(0);
  expect(moved("ArrowRight", null, 0)).toBeNull();
});
