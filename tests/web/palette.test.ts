import { expect, it } from "vitest";

import { fewOf, MOST } from "@/app/frame/fewOf";

const links = Array.from({ length: 5_000 }, (_, i) => `letter / spring-${i} Courses`);

it("a short list is left as it is, for whoever writes half a word", () => {
  expect(fewOf(["crust-talk", "flour-bag"], "crt", String)).toEqual(["crust-talk", "flour-bag"]);
});

it("of very many the first are shown that hold every word", () => {
  expect(fewOf(links, "", String)).toEqual(links.slice(0, MOST));
  expect(fewOf(links, "courses SPRING-4999", String)).toEqual([links[4999]]);
  expect(fewOf(links, "autumn", String)).toEqual([]);
});
