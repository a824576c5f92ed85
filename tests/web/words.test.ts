import { describe, expect, it } from "vitest";

import {
  ago,
  amount,
  change,
  duration,
  figure,
  lastWord,
  longDay,
  moment,
  periodWords,
  plural,
  symbol,
  unitOf,
  valueWords,
  versusWords,
  within,
} from "@/words/format";
import { goalWords, readWords as fieldWords, worthWords } from "@/words/goals";
import { EMPTY, readWords, remarksOf, sheetCounts, sheetOf, type BuiltLink } from "@/words/links";
import type { HitRecord } from "@/api/client";
import { changeLines, newRule, ruleWords as tagRuleWords } from "@/words/rules";
import { fixVerb, fixWords } from "@/words/fixes";
import { withStays } from "@/words/stays";
import { changeWords, moveWords, ruleWords, sameSorting, shareWords } from "@/words/sorting";

describe("figures", () => {
  it.each([
    [null, "count", "–"],
    [undefined, "money", "–"],
    [1234.4, "count", "1,234"],
    [0.0642, "percent", "6.42"],
    [2.5, "number", "2.50"],
    [125, "seconds", "2:05"],
    [17016, "money", "17,016"],
  ] as const)("%s as %s is %s", (value, unit, text) => {
    expect(figure(value, unit)).toBe(text);
  });

  it("change with a sign, and not at all by less than what is shown", () => {
    expect(change(12, 10, "count")).toBe("+2");
    expect(change(0.0501, 0.06, "percent")).toBe("−0.99");
    expect(change(10.2, 10, "count")).toBe("±0");
    expect(change(1, null, "count")).toBeNull();
  });

  it("name their unit in the head", () => {
    expect([unitOf("percent", "EUR"), unitOf("money", "GBP"), unitOf("seconds", "EUR"), unitOf("count", "EUR")]).toEqual([
      ", %",
      ", £",
      ", min",
      "",
    ]);
    expect([symbol("EUR"), amount(2.5, "EUR"), amount(2.5, "??")]).toEqual(["€", "€2.50", "2.50 ??"]);
  });
});

describe("times", () => {
  it("are told as one would", () => {
    expect([0, 89_000, 90_000, 7_200_000, 400_000_000].map(ago)).toEqual(["0 s", "89 s", "2 min", "2 h", "5 d"]);
    expect([40_000, 120_000, 125_000, 3_840_000].map(duration)).toEqual(["40 s", "2 min", "2 min 5 s", "1 h 4 min"]);
    const hours = [47.5, 48, 173.5].map((count) => count * 3_600_000);
    expect(hours.map(duration)).toEqual(["47 h 30 min", "2 days", "7 days 5 h"]);
    expect(moment(Date.UTC(2026, 10, 22, 14, 5, 9), "Europe/Dublin")).toBe("Sun 22 Nov, 14:05:09");
    expect(longDay("2027-11-26")).toBe("26 Nov 2027");
  });

  it("periods and what they are held against", () => {
    expect(periodWords({ first: "2026-10-29", last: "2026-11-25" })).toBe("29 Oct to 25 Nov 2026");
    expect(periodWords({ first: "2025-12-30", last: "2026-01-02" })).toBe("30 Dec 2025 to 2 Jan 2026");
    expect(periodWords({ first: "2026-01-02", last: "2026-01-02" })).toBe("2 Jan 2026");
    const month = { first: "2026-11-01", last: "2026-11-28" };
    expect((["none", "year", "before"] as const).map((versus) => versusWords(month, versus))).toEqual([
      "nothing",
      "a year before",
      "the 28 days before",
    ]);
    expect(versusWords({ first: "2026-11-01", last: "2026-11-01" }, "before")).toBe("the day before");
  });
});

describe("names", () => {
  it("stand inside a sentence and in a narrow column", () => {
    expect([within("Paid search"), within("QR code"), within("")]).toEqual(["paid search", "QR code", ""]);
    expect([lastWord("Course bookings"), lastWord("Enquiriesforwholesale"), lastWord("")]).toEqual(["Bookings", "Reached", "Reached"]);
    expect([plural(1, "visit"), plural(1204, "visit"), plural(2, "entry", "entries")]).toEqual(["1 visit", "1,204 visits", "2 entries"]);
  });

  it("of languages and countries are written out, of what is unknown left as they are", () => {
    expect([
      valueWords("language", "de"),
      valueWords("country", "IE"),
      valueWords("country", "not one"),
      valueWords("source", "de"),
    ]).toEqual(["German", "Ireland", "not one", "de"]);
    expect([valueWords("entry_page", ""), valueWords("campaign", "")]).toEqual(["no page", "none"]);
  });
});

describe("goals and fields", () => {
  it("are told in a sentence", () => {
    const plain = { names: [], name_test: "is" as const, page: null, props: [], fields: [] };
    const props = [{ key: "form", test: "is" as const, value: "wholesale" }];
    const fields = [{ field: "plan", test: "is not" as const, value: "free" }];
    const event = { ...plain, kind: "event" as const, names: ["form submit", "form sent"], props, fields };
    const goal = { match: event, counts: "once a visit" as const, value: { kind: "fixed" as const, amount: 120 } };
    expect(goalWords(goal)).toBe("the event form submit or form sent with form is wholesale, where plan is not free, once a visit");
    expect(worthWords(goal, "EUR")).toBe("€120.00 each");
    expect(goalWords({ ...goal, match: { ...event, name_test: "starts with", props: [], fields: [] } })).toBe(
      "events that start with form submit or form sent, once a visit",
    );
    const view = {
      match: { ...plain, kind: "view" as const, page: { test: "starts with" as const, value: "/a" } },
      counts: "every time" as const,
    };
    expect(goalWords({ ...view, value: { kind: "none" } })).toBe("views of pages that start with /a, every time");
    expect(worthWords({ ...view, value: { kind: "order" } }, "EUR")).toBe("the order’s total");
    expect(fieldWords({ key: "author", title: "Author", of: "hit", read: { kind: "query", key: "by" } })).toBe("the query key by");
  });
});

describe("links", () => {
  it("says what is said of a field once, and offers one word at a time", () => {
    const link = (...remarks: [string, string | null][]): BuiltLink => ({
      ...EMPTY,
      url: "https://mill.example/?via=a",
      page: "/",
      channel: "Email",
      place: 0,
      draft: EMPTY,
      registered: null,
      remarks: remarks.map(([text, use]) => ({ field: "medium", is_error: false, is_note: text === "becomes x", text, use, add: null })),
    });
    expect(readWords({ channel: "Email", source: "letter", medium: "email", campaign: "spring" })).toBe("Email / letter / spring");
    const links = [link(["use letter?", "letter"], ["you have mail", "mail"], ["becomes x", null]), link(["use letter?", "letter"])];
    expect(remarksOf(links, "medium", new Set()).map((one) => one.text)).toEqual(["use letter?", "becomes x"]);
    expect(remarksOf(links, "medium", new Set(["use letter?"])).map((one) => one.text)).toEqual(["you have mail", "becomes x"]);
    expect(remarksOf(links, "source", new Set())).toEqual([]);
    expect(sheetCounts([{ line: 2 }, { line: 3, wrong: "too long" }], [...links, { ...link(), url: null }, link()])).toEqual({
      good: 1,
      remarked: 2,
      wrong: 2,
    });
    expect(sheetOf([{ ...EMPTY, address: "https://mill.example/", source: 'a "b", c' }]).split("\r\n")[1]).toBe(
      '"https://mill.example/","a ""b"", c","","","","",""',
    );
  });
});

describe("channels", () => {
  const search = { channel: "Search", any_of: [{ mediums: ["cpc", "ppc"], kinds: ["search" as const] }, { mediums: ["sem"] }] };
  const before = {
    aliases: [{ field: "medium" as const, this: "e-mail", that: "email" }],
    ignored_hosts: ["pay.example"],
    channels: [search, { channel: "Other", any_of: [{}] }],
  };

  it("say what they take, and what changed", () => {
    expect(before.channels.map((rule) => ruleWords(rule as never))).toEqual([
      "medium cpc, ppc, and kind of source search; or medium sem",
      "everything",
    ]);
    const after = {
      aliases: [],
      ignored_hosts: ["pay.example", "tickets.example"],
      channels: [
        { ...search, any_of: [{ mediums: ["cpc"] }] },
        { channel: "New", any_of: [{}] },
      ],
    };
    expect(changeWords(before as never, after as never)).toEqual([
      "Aliases: − medium e-mail → email",
      "Ignored as a source: + tickets.example",
      "Channels: + New − Other",
      "Search: − ppc, search, sem",
    ]);
    const turned = { ...before, channels: [...before.channels].reverse() };
    expect(changeWords(before as never, turned as never)).toEqual(["The order of the channels"]);
    expect([sameSorting(before as never, structuredClone(before) as never), sameSorting(before as never, turned as never)]).toEqual([
      true,
      false,
    ]);
  });

  it("tell which visits move", () => {
    expect(moveWords({ field: "channel", was: "Unsorted", becomes: "Email", visits: 1204 })).toBe(
      "1,204 visits move from Unsorted to Email",
    );
    expect(moveWords({ field: "source", was: "a", becomes: "", visits: 1 })).toBe("1 visit of the source a moves to nothing");
    expect([shareWords(0, 0), shareWords(3, 12)]).toEqual(["no visits", "3 of 12 visits"]);
  });
});

describe("hits in a list", () => {
  const hit = (seq: number, kind: string, visitor: string, url: string, engaged_ms = 0): HitRecord =>
    ({ seq, kind, visitor, url, engaged_ms }) as unknown as HitRecord;

  it("tell the time stayed on the row of the page, and on one of its own where that is not there", () => {
    const hits = [
      hit(1, "engage", "a", "/x", 500),
      hit(2, "view", "a", "/x"),
      hit(3, "view", "b", "/x"),
      hit(4, "engage", "a", "/x", 700),
      hit(5, "event", "a", "/x"),
      hit(6, "engage", "a", "/x", 300),
      hit(7, "view", "a", "/x"),
      hit(8, "engage", "a", "/x", 50),
    ];
    expect(withStays(hits).map(({ hit: { seq }, stayed }) => [seq, stayed])).toEqual([
      [1, 0],
      [2, 1000],
      [3, 0],
      [5, 0],
      [7, 50],
    ]);
    expect(withStays([])).toEqual([]);
  });
});

describe("fixes", () => {
  it("say what they do, and what was done", () => {
    const alias = { kind: "alias" as const, field: "medium" as const, this: "e-mail", that: "email" };
    const channel = { kind: "channel" as const, medium: "stand", channel: "Fairs" };
    const host = { kind: "ignored host" as const, host: "pay.example" };
    expect([alias, channel, host].map(fixVerb)).toEqual(["Read it as email", "Give it the channel Fairs", "Ignore as a source"]);
    expect([alias, channel, host].map(fixWords)).toEqual([
      "the medium e-mail is read as email",
      "the medium stand has the channel Fairs",
      "pay.example is ignored as a source",
    ]);
  });
});

describe("tag rules", () => {
  const rule = {
    ...newRule(),
    name: "Buy",
    when: { kind: "clicked" as const, selector: "button", text: "Buy" },
    only_if: [{ kind: "page" as const, test: "starts with" as const, value: "/shop" }],
    then: [
      { kind: "event" as const, name: "bought", props: [{ key: "what", value: { kind: "fixed" as const, text: "flour" } }], value: null },
    ],
  };

  it("are told in a sentence, and so is what became of them", () => {
    expect(tagRuleWords(rule)).toBe(
      "When button with the text “Buy” is clicked, and only if the page starts with /shop, then record the event bought (what: flour).",
    );
    const paused = { ...rule, paused: true };
    expect(changeLines({ id: rule.id, what: "changed", parts: ["paused"], was: rule, becomes: paused } as never)).toEqual([
      "Buy, state: running → paused",
    ]);
    expect(changeLines({ id: rule.id, what: "added", parts: [], was: null, becomes: rule } as never)).toEqual(["Buy was added."]);
    expect(newRule().id).toMatch(/^[a-z2-9]{8}$/);
  });
});
