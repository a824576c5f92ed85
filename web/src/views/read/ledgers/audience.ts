import { BY_VALUE } from "@/ledger/ReportLedger";
import type { LedgerSpec, LedgerSpecs } from "@/views/read/DimensionLedger";

const IN_ORDER = { by: BY_VALUE, descending: false };
const KEPT_HEADS = { views_per_visit: "Views", engaged_per_visit: "Engaged", bounce_rate: "Bounces" };
/** What may differ between visits of one kind and another. */
const kept = (byGoal: boolean): Pick<LedgerSpec, "usual" | "lead" | "heads"> => ({
  usual: ["visits", "visits share", "bounce_rate", "views_per_visit", "engaged_per_visit", ...(byGoal ? ["conversion_rate"] : [])],
  lead: "visits",
  heads: KEPT_HEADS,
});

export const audienceLedgers: LedgerSpecs = (byGoal) => [
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
