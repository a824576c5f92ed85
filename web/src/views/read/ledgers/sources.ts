import type { LedgerSpec, LedgerSpecs } from "@/views/read/DimensionLedger";

/** What a value brings of all visits against what it brings of all conversions. */
const shared = (byGoal: boolean): Pick<LedgerSpec, "usual" | "lead"> =>
  byGoal
    ? { usual: ["visits", "visits share", "conversions", "conversions share", "conversion_rate"], lead: "conversions" }
    : { usual: ["visits", "visits before", "visits share", "bounce_rate"], lead: "visits" };

export const sourceLedgers: LedgerSpecs = (byGoal) => [
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
