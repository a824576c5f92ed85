import type { LedgerSpec, LedgerSpecs } from "@/views/read/DimensionLedger";

const DRIVEN = ["visits", "conversions", "conversions before", "conversion_rate", "conversion_rate marks", "value"];
const VISITED = ["visits", "visits before", "bounce_rate", "bounce_rate marks", "views"];

const driving = (byGoal: boolean): Pick<LedgerSpec, "usual" | "lead"> =>
  byGoal ? { usual: DRIVEN, lead: "conversions" } : { usual: VISITED, lead: "visits" };

export const overviewLedgers: LedgerSpecs = (byGoal) => [
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
