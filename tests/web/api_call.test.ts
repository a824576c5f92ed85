import { expect, it } from "vitest";

import { apiCall } from "@/words/apiCall";

const REQUEST = {
  period: { first: "2026-11-01", last: "2026-11-07" },
  versus: "none" as const,
  goal: null,
  segment: null,
  columns: [{ id: "visits", measure: "visits" }],
  with_excluded: false,
  dimensions: ["source"],
  parents: [],
  where: [{ of: "source", test: "contains" as const, value: 'it\'s $HOME "x"' }],
  sort: null,
  descending: true,
  offset: 0,
  limit: 9,
};

it("a shell is given the request as it is, whatever stands in it", () => {
  const call = apiCall("curl", "mill", REQUEST, "http://127.0.0.1:7300");
  expect(call).toContain("curl 'http://127.0.0.1:7300/api/v1/sites/mill/reports/table' \\\n");
  expect(call).toContain("it'\\''s $HOME");
  expect(call).not.toContain("it's");
});

it("Python is given its own words for nothing and for what is so", () => {
  const call = apiCall("Python", "mill", REQUEST, "http://127.0.0.1:7300");
  expect(call).toContain('"goal": None,');
  expect(call).toContain('"descending": True,');
  expect(call).toContain('"parents": [],');
  expect(call).toContain('"value": "it\'s $HOME \\"x\\"",');
});
