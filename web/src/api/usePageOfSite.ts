import { useQuery } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";

import { lastPageQuery } from "@/api/queries";
import type { Site } from "@/api/client";

/**
 * An address of the site to try something on: the page that was seen last, until somebody writes another one.
 * Its field keeps what stands in it from when it is gone to (`onFocus`, `onChange`): what is read later does not change it under one's hands.
 */
export function usePageOfSite(site: Site): [string, (event: SyntheticEvent<HTMLInputElement>) => void] {
  const last = useQuery(lastPageQuery(site.key));
  const [written, setWritten] = useState<string | null>(null);
  const seen = last.data ? new URL(last.data.address, location.origin).href : `https://${site.rules.hosts[0]}/`;
  return [written ?? seen, (event) => setWritten(event.currentTarget.value)];
}
