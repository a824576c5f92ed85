import { expect, it } from "vitest";

import { wayOf } from "@/views/watch/wayOf";

const view = (page: string) => ({ kind: "view" as const, page, name: null as unknown as string });
const event = (name: string) => ({ kind: "event" as const, page: "/", name });

it("the way of a visit is what was done on purpose, in its order, without what repeats at once", () => {
  const way = wayOf([view("/"), view("/"), event("scroll depth"), event("file download"), view("/"), { ...view("/"), kind: "engage" }]);
  const [condition] = way?.where.conditions ?? [];
  expect(condition?.kind === "in order" && condition.steps.map((one) => one.page?.value ?? one.names[0])).toEqual([
    "/",
    "file download",
    "/",
  ]);
  expect(wayOf([view("/a")])?.where.conditions[0]).toMatchObject({ kind: "did", times: 1 });
  expect(wayOf([event("form view")])).toBeNull();
  const long = wayOf(Array.from({ length: 30 }, (_, i) => view(`/${i}`)))?.where.conditions[0];
  expect(long?.kind === "in order" && long.steps.length).toBe(10);
});
