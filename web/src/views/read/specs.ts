import type { LedgerSpec } from "@/views/read/DimensionLedger";
import { BY_VALUE } from "@/ledger/ReportLedger";

/** Whether there is a goal to steer by decides which columns a ledger begins with. */
type Specs = (byGoal: boolean) => LedgerSpec[];

const DRIVEN = ["visits", "conversions", "conversions before", "conversion_rate", "conversion_rate marks", "value"];
const VISITED = ["visits", "visits before", "bounce_rate", "bounce_rate marks", "views"];
const IN_ORDER = { by: BY_VALUE, descending: false };

const driving = (byGoal: boolean): Pick<LedgerSpec, "usual" | "lead"> =>
  byGoal ? { usual: DRIVEN, lead: "conversions" } : { usual: VISITED, lead: "visits" };

/** What a value brings of all visits against what it brings of all conversions. */
const shared = (byGoal: boolean): Pick<LedgerSpec, "usual" | "lead"> =>
  byGoal
    ? { usual: ["visits", "visits share", "conversions", "conversions share", "conversion_rate"], lead: "conversions" }
    : { usual: ["visits", "visits before", "visits share", "bounce_rate"], lead: "visits" };

export const overviewLedgers: Specs = (byGoal) => [
  {
    title: "Channels",
    what: "channels",
    aside: "credit to the visit’s own channel",
    dimensions: ["channel", "source", "campaign"],
    ...driving(byGoal),
  },
  {
    title: "Landing pages",
    what: "landing pages",
    aside: "the first page of the visit",
    dimensions: ["entry_page", "channel", "source"],
    ...driving(byGoal),
  },
];

export const pageLedgers: Specs = (byGoal) => [
  {
    title: "All pages",
    what: "pages",
    aside: "by the visits that saw them",
    dimensions: ["page", "channel", "device"],
    usual: ["visits", "visits before", "views", "time_on_page", "exit_rate"],
    lead: "visits",
    heads: { time_on_page: "Time on it", exit_rate: "Exits" },
  },
  {
    title: "Landing pages",
    what: "landing pages",
    aside: "where visits begin",
    dimensions: ["entry_page", "channel", "source"],
    usual: [
      "visits",
      "bounce_rate",
      "engaged_per_visit",
      ...(byGoal ? ["conversions", "conversion_rate", "value_per_visit"] : ["views_per_visit"]),
    ],
    lead: byGoal ? "conversions" : "visits",
    heads: { visits: "Entries", bounce_rate: "Bounces", engaged_per_visit: "Engaged", value_per_visit: "A visit" },
  },
  {
    title: "Gone on to, seldom entered",
    what: "pages",
    aside: "people want them and do not find them from outside",
    dimensions: ["page", "previous_page"],
    usual: ["reached_later", "entries", "entry_rate", "entry_rate marks"],
    lead: "reached_later",
    isPart: true,
    heads: { reached_later: "Gone on to", entry_rate: "Entered" },
  },
  {
    title: "Exit pages",
    what: "pages",
    aside: "where visits end",
    dimensions: ["page", "previous_page"],
    usual: ["exits", "exits before", "exit_rate", "exit_rate marks"],
    lead: "exits",
  },
  {
    title: "The page after",
    what: "pages",
    aside: "open a page to see where its visits went on",
    dimensions: ["page", "next_page"],
    usual: ["visits", "visits share", "views"],
    lead: "visits",
  },
  {
    title: "The page before",
    what: "pages",
    aside: "open a page to see where its visits came from",
    dimensions: ["page", "previous_page"],
    usual: ["visits", "visits share", "views"],
    lead: "visits",
  },
  {
    title: "Page groups",
    what: "page groups",
    aside: "named in the settings",
    dimensions: ["page_group", "page"],
    usual: ["visits", "visits before", "views", ...(byGoal ? ["conversions", "conversion_rate"] : [])],
    lead: "visits",
    empty: "No page of these days belongs to a group. Groups are named in Tag, Settings.",
  },
  {
    title: "Left for",
    what: "hosts",
    aside: "outbound links, by host, link and page",
    dimensions: ["outbound_host", "outbound_link", "page"],
    usual: ["people", "people before", "times"],
    lead: "people",
    isPart: true,
    empty: "Nobody left by a link in these days, or the site does not tell of outbound links (Tag, Site code).",
  },
  {
    title: "Downloads",
    what: "files",
    aside: "by file and by page",
    dimensions: ["file", "page"],
    usual: ["people", "people before", "times"],
    lead: "people",
    isPart: true,
    empty: "Nothing was downloaded in these days, or the site does not tell of downloads (Tag, Site code).",
  },
  {
    title: "Searched for on the site",
    what: "terms",
    aside: "opened: the page that was seen next",
    dimensions: ["search_term", "search_led_to"],
    usual: ["people", "people before", "times"],
    lead: "people",
    isPart: true,
    empty: "Nobody searched on the site in these days.",
  },
  {
    title: "Where searches lead",
    what: "pages",
    aside: "opened: for what was searched",
    dimensions: ["search_led_to", "search_term"],
    usual: ["people", "people before", "times"],
    lead: "people",
    isPart: true,
    empty: "Nobody searched on the site in these days.",
  },
];

export const sourceLedgers: Specs = (byGoal) => [
  {
    title: "Channels",
    what: "channels",
    aside: "opened: sources, then campaigns",
    dimensions: ["channel", "source", "campaign"],
    ...shared(byGoal),
  },
  {
    title: "Sources",
    what: "sources",
    aside: "opened: mediums, then landing pages",
    dimensions: ["source", "medium", "entry_page"],
    ...shared(byGoal),
  },
  {
    title: "Campaigns",
    what: "campaigns",
    aside: "opened: content, then term",
    dimensions: ["campaign", "content", "term"],
    ...shared(byGoal),
  },
  {
    title: "Landing pages by source",
    what: "landing pages",
    aside: "opened: channels, then sources",
    dimensions: ["entry_page", "channel", "source"],
    ...shared(byGoal),
  },
  {
    title: "Link labels",
    what: "link labels",
    aside: "one word on a link",
    dimensions: ["label", "entry_page"],
    ...shared(byGoal),
  },
  {
    title: "Referrers",
    what: "referrers",
    aside: "opened: their pages, then where they lead",
    dimensions: ["referrer", "referrer_page", "entry_page"],
    ...shared(byGoal),
  },
  {
    title: "Searched for elsewhere",
    what: "terms",
    aside: "where the search engine still tells",
    dimensions: ["referrer_term", "source", "entry_page"],
    ...shared(byGoal),
  },
  {
    title: "As it was tagged",
    what: "mediums",
    aside: "opened: the spellings behind a medium, then its sources",
    dimensions: ["medium", "raw_medium", "raw_source"],
    usual: ["visits", "visits before", "visits share"],
    lead: "visits",
  },
];

const KEPT_HEADS = { views_per_visit: "Views", engaged_per_visit: "Engaged", bounce_rate: "Bounces" };
/** What may differ between visits of one kind and another. */
const kept = (byGoal: boolean): Pick<LedgerSpec, "usual" | "lead" | "heads"> => ({
  usual: ["visits", "visits share", "bounce_rate", "views_per_visit", "engaged_per_visit", ...(byGoal ? ["conversion_rate"] : [])],
  lead: "visits",
  heads: KEPT_HEADS,
});

export const audienceLedgers: Specs = (byGoal) => [
  {
    title: "New and returning",
    what: "kinds",
    aside: "whether the site has seen them before",
    dimensions: ["visitor_kind", "channel", "entry_page"],
    ...kept(byGoal),
  },
  {
    title: "Visit number",
    what: "numbers",
    aside: "which visit of its visitor it is",
    dimensions: ["visit_number", "channel"],
    ...kept(byGoal),
    sort: IN_ORDER,
  },
  {
    title: "Days since the visit before",
    what: "steps",
    aside: "of those who came again",
    dimensions: ["days_since", "channel"],
    ...kept(byGoal),
    sort: IN_ORDER,
    few: 12,
  },
  {
    title: "Countries",
    what: "countries",
    aside: "opened: languages",
    dimensions: ["country", "language", "channel"],
    ...kept(byGoal),
  },
  {
    title: "Continents",
    what: "continents",
    aside: "opened: countries",
    dimensions: ["continent", "country", "language"],
    ...kept(byGoal),
  },
  {
    title: "Languages",
    what: "languages",
    aside: "that the browser asks for",
    dimensions: ["language", "country"],
    ...kept(byGoal),
  },
  {
    title: "Devices",
    what: "devices",
    aside: "opened: systems, then browsers",
    dimensions: ["device", "system", "browser"],
    ...kept(byGoal),
  },
  {
    title: "Browsers",
    what: "browsers",
    aside: "opened: systems",
    dimensions: ["browser", "system", "device"],
    ...kept(byGoal),
  },
  {
    title: "Screens",
    what: "screens",
    aside: "in points",
    dimensions: ["screen", "device"],
    ...kept(byGoal),
  },
];
