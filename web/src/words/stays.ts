import type { HitRecord } from "@/api/client";

/** A hit as it is listed; `stayed`: milliseconds for which its page was looked at. */
export interface ListedHit {
  hit: HitRecord;
  stayed: number;
}

const pageOf = ({ visitor, url }: HitRecord): string => `${visitor} ${url}`;

/** Hits, oldest first, with the time stayed on a page told on the page's own row; where that is not among them, it keeps a row. */
export function withStays(hits: readonly HitRecord[]): ListedHit[] {
  const listed: ListedHit[] = [];
  const shown = new Map<string, ListedHit>();
  for (const hit of hits) {
    const page = hit.kind === "engage" ? shown.get(pageOf(hit)) : undefined;
    if (page) {
      page.stayed += hit.engaged_ms;
      continue;
    }
    const row = { hit, stayed: 0 };
    listed.push(row);
    if (hit.kind === "view") shown.set(pageOf(hit), row);
  }
  return listed;
}
