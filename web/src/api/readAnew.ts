import type { Query, QueryClient } from "@tanstack/react-query";

/** What a change touches: a part of what is read, by how the API's paths begin; or everything, where it re-reads history or what every report is read against. */
const PARTS = {
  links: ["links", "vocabulary"],
  rules: ["rules"],
  findings: ["findings"],
  logbook: ["logbook"],
  insights: ["reports/insights"],
  imports: ["import/done"],
  funnels: ["funnels"],
  people: ["members", "invitations"],
  // Of whoever is signed in, not of a site.
  account: ["/account", "/deleted-sites"],
} as const;
export type Touched = keyof typeof PARTS | "everything" | "nothing";

const begins = (query: Query, part: string): boolean =>
  String(query.queryKey[1]).startsWith(part.startsWith("/") ? `/api/v1${part}` : `/api/v1/sites/{site}/${part}`);

/** Reads what a change touches anew. What was asked for before and has not come yet would tell how things were, so it is asked for again. */
export async function readAnew(queries: QueryClient, touched: Touched): Promise<void> {
  if (touched === "nothing") return;
  const which = touched === "everything" ? {} : { predicate: (query: Query) => PARTS[touched].some((part) => begins(query, part)) };
  await queries.cancelQueries(which);
  await queries.invalidateQueries(which);
}
