import { afterEach, describe, expect, it, vi } from "vitest";

import { holds } from "@tracker/rules/conditions";
import type { Condition } from "@tracker/rules/data";
import type { Tools } from "@tracker/tools";

import devices from "../devices.json";

const toolsOf = (address: string, more: object = {}): Tools =>
  ({
    address: () => address,
    referrer: () => "https://murmur.example/",
    fields: () => ({ plan: "paid" }),
    visitor: () => "k3v9",
    visit: { fresh: () => true },
    ...more,
  }) as unknown as Tools;

const told = (condition: object, address = "https://mill.example/shop/?via=card", more = {}): boolean =>
  holds(toolsOf(address, more), condition as Condition, "rule1")[0];

afterEach(() => vi.unstubAllGlobals());

describe("conditions of tag rules", () => {
  it.each([
    [{ kind: "page", test: "is", value: "/shop" }, true],
    [{ kind: "page", test: "is not", value: "/shop" }, false],
    [{ kind: "page", test: "starts with", value: "/sh" }, true],
    [{ kind: "page", test: "contains", value: "flour" }, false],
    [{ kind: "page", test: "does not contain", value: "flour" }, true],
    [{ kind: "host", test: "is", value: "mill.example" }, true],
    [{ kind: "referrer", test: "is not empty", value: "" }, true],
    [{ kind: "query", key: "via", test: "is", value: "card" }, true],
    [{ kind: "query", key: "ref", test: "is empty", value: "" }, true],
    [{ kind: "field", key: "plan", test: "is", value: "paid" }, true],
    [{ kind: "field", key: "author", test: "is empty", value: "" }, true],
    [{ kind: "visitor", visitor: "new" }, true],
    [{ kind: "visitor", visitor: "returning" }, false],
  ])("%j holds: %s", (condition, expected) => {
    expect(told(condition)).toBe(expected);
  });

  it("the root is a page, and a visit that is not known is a returning one's", () => {
    expect(told({ kind: "page", test: "is", value: "/" }, "https://mill.example/")).toBe(true);
    expect(told({ kind: "visitor", visitor: "returning" }, undefined, { visit: undefined })).toBe(true);
  });

  it.each(Object.entries(devices))("%s is a %s, as in reports", (userAgent, device) => {
    vi.stubGlobal("navigator", { userAgent });
    expect(["phone", "desktop", "tablet", "other"].filter((one) => told({ kind: "device", devices: [one] }))).toEqual([device]);
  });

  it("a share of visitors is about as large as it says, and the same visitors' for as long as the rule lives", () => {
    const among = (rule: string) =>
      Array.from(
        { length: 5000 },
        (_, i) =>
          holds(toolsOf("https://mill.example/", { visitor: () => `visitor ${i}` }), { kind: "share", percent: 30 } as Condition, rule)[0],
      );
    const first = among("rule1");
    expect(first.filter(Boolean).length / 5000).toBeCloseTo(0.3, 1);
    expect(among("rule1")).toEqual(first);
    expect(among("rule2")).not.toEqual(first);
  });
});
