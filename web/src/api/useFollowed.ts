import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import type { HitRecord } from "@/api/client";
import { followedQuery, nowQuery } from "@/api/queries";

const PATIENCE = 8_000;

/** What arrives of the visitor who opened the page with this token, newest first; `at` is the server's clock, `late` says that it takes long. */
export function useFollowed(site: string, token: string): { hits: HitRecord[]; at: number; late: boolean } {
  const followed = useQuery(followedQuery(site, token));
  const visitor = followed.data?.visitor ?? null;
  const arrived = useQuery({ ...nowQuery(site, visitor), enabled: visitor !== null });
  const [late, setLate] = useState(false);
  useEffect(() => {
    const later = setTimeout(() => setLate(true), PATIENCE);
    return () => clearTimeout(later);
  }, []);
  // Without a visitor the query stands for everybody's hits, which say nothing here.
  return { hits: (visitor !== null && arrived.data?.arrived) || [], at: arrived.data?.at ?? 0, late };
}
