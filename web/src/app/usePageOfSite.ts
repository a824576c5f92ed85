import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { lastPageQuery } from "@/app/queries";
import type { Site } from "@/api/client";

/** An address of the site to try something on: the page that was seen last, until somebody writes another one. */
export function usePageOfSite(site: Site): [string, (address: string) => void] {
  const last = useQuery(lastPageQuery(site.key));
  const [written, setWritten] = useState<string | null>(null);
  const seen = last.data ? new URL(last.data.address, location.origin).href : `https://${site.rules.hosts[0]}/`;
  return [written ?? seen, setWritten];
}
