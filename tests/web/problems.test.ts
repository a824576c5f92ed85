import { describe, expect, it } from "vitest";

import { ApiError } from "@/api/client";
import { inWords } from "@/api/fieldNames";

const told = (field: string, text: string) =>
  new ApiError({
    type: "about:blank",
    title: "Unprocessable",
    status: 422,
    detail: `${field}: ${text}`,
    errors: [{ field, text, index: null, use: null }],
  });

describe("what a problem says of a field", () => {
  it.each([
    ["rules.page_groups.2.pattern", "Page groups, line 3, pattern"],
    ["rules.visit_gap_minutes", "Pause that ends a visit"],
    ["goal", "Goal"],
    ["quiet", "Quiet zone"],
    ["0.meaning", "Line 1, meaning"],
    ["", ""],
  ])("%s is said as %s", (field, words) => expect(inWords(field)).toBe(words));

  it("names the field as the screen does, and everything else as it came", () => {
    expect(told("rules.label_keys", "must not be empty").detail).toBe("Keys of the link label: must not be empty");
    expect(new ApiError({ type: "", title: "", status: 409, detail: "rules: taken" }).message).toBe("rules: taken");
  });
});
