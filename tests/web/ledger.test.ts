import { describe, expect, it } from "vitest";

import { compared, fits, pasted } from "@/ledger/columns";
import { readLayout } from "@/ledger/layout";
import { searched } from "@/ledger/rowSearch";

describe("cells", () => {
  it("never become a formula of a sheet, nor two lines", () => {
    expect(pasted("=1+1")).toBe("'=1+1");
    expect(pasted("@sum")).toBe("'@sum");
    expect(pasted("a\nb\tc")).toBe("a b c");
    expect(pasted(-3.5)).toBe("-3.5");
    expect(pasted(null)).toBe("");
  });

  it("are compared as numbers and as people read texts", () => {
    expect([10, 9, 2].sort(compared)).toEqual([2, 9, 10]);
    expect(["page 10", "Page 9", "a"].sort(compared)).toEqual(["a", "Page 9", "page 10"]);
  });

  it("fit when every word stands somewhere", () => {
    expect(fits(["Spring courses", 12, null], "SPRING 12")).toBe(true);
    expect(fits(["Spring courses", 12, null], "spring 13")).toBe(false);
  });
});

describe("what is kept of a ledger", () => {
  const known = (id: string) => ["visits", "value", "rate"].includes(id);

  it("is read again", () =>
    expect(readLayout('{"shown":["value","visits"],"widths":{"visits":90}}', ["rate"], known)).toEqual({
      shown: ["value", "visits"],
      widths: { visits: 90 },
    }));

  it.each([
    null,
    "nonsense",
    "[]",
    '{"shown":"visits"}',
    '{"shown":["gone"],"widths":{"gone":90}}',
    '{"shown":[],"widths":null}',
    '{"widths":{"visits":1e9}}',
  ])("is the usual where %s was kept", (text) => expect(readLayout(text, ["rate"], known)).toEqual({ shown: ["rate"], widths: {} }));

  it("is a regular expression between two slashes", () => {
    expect(searched("page", " /courses ")).toEqual([{ of: "page", test: "contains", value: "/courses" }]);
    expect(searched("page", "/^.courses$/")).toEqual([{ of: "page", test: "regular expression", value: "^.courses$" }]);
    expect(searched("page", "  ")).toEqual([]);
  });
});
