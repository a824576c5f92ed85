import { QueryClient } from "@tanstack/react-query";
import { expect, it } from "vitest";

import type { Registry } from "@/api/client";
import { registryQuery } from "@/api/queries";
import { readAnew } from "@/api/readAnew";

const ASKED = ["links", "links/build", "vocabulary", "rules", "rules/changes", "findings/fixed", "goals", "reports/table"];

async function after(touched: Parameters<typeof readAnew>[1]): Promise<string[]> {
  const queries = new QueryClient();
  for (const path of ASKED) queries.setQueryData(["get", `/api/v1/sites/{site}/${path}`, {}], path);
  queries.setQueryData(["table pages", "mill", {}], "pages");
  await readAnew(queries, touched);
  const all = queries.getQueryCache().getAll();
  return all.filter((query) => query.state.isInvalidated).map((query) => String(query.state.data));
}

it("reads anew what a change touches, and nothing else", async () => {
  expect(await after("links")).toEqual(["links", "links/build", "vocabulary"]);
  expect(await after("rules")).toEqual(["rules", "rules/changes"]);
  expect(await after("findings")).toEqual(["findings/fixed"]);
  expect(await after("everything")).toEqual([...ASKED, "pages"]);
  expect(await after("nothing")).toEqual([]);
});

it("offers no measure of which there is no record yet", () => {
  const [shown, hidden] = [
    { name: "visits", hidden: false },
    { name: "spend", hidden: true },
  ];
  const told = registryQuery("mill").select?.({ measures: [shown, hidden], dimensions: [] } as unknown as Registry);
  expect(told?.measures).toEqual([shown]);
});
