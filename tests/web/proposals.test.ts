import { describe, expect, it } from "vitest";

import { usualCurrency } from "@/words/money";
import { proposals } from "@/words/proposals";

describe("goals are proposed from what arrived", () => {
  it("orders first, then events of one's own, forms, pages that thank", () => {
    const events = [
      { name: "scroll depth", people: 90, isAutomatic: true },
      { name: "form submit", people: 20, isAutomatic: true },
      { name: "course booked", people: 8, isAutomatic: false },
      { name: "recipe read", people: 30, isAutomatic: false },
    ];
    const found = proposals(3, events, ["/", "/shop", "/thank-you.html", "/danke"]);
    expect(found.map((one) => one.name)).toEqual([
      "Orders",
      "Recipe read",
      "Course booked",
      "Form submit",
      "Reached /thank-you.html",
      "Reached /danke",
    ]);
    expect(found[0]?.goal).toMatchObject({ match: { kind: "order" }, value: { kind: "order" } });
    expect(found[4]?.goal.match.page).toEqual({ test: "is", value: "/thank-you.html" });
  });

  it("nothing from what says nothing of intent", () =>
    expect(proposals(0, [{ name: "scroll depth", people: 9, isAutomatic: true }], ["/", "/shop"])).toEqual([]));
});

describe("the currency that is proposed", () => {
  it.each([
    ["de-AT", "EUR"],
    ["en-GB", "GBP"],
    ["de-CH", "CHF"],
    ["pl", "PLN"],
    ["fr", "EUR"],
    ["en", "USD"],
  ])("of %s is %s", (locale, currency) => expect(usualCurrency(locale)).toBe(currency));
});
