import { useEffect, useState } from "react";

import type { LiveUpdate, HitRecord } from "@/api/client";

const MAX_KEPT = 300;

export interface Arrivals {
  hits: HitRecord[];
  present: LiveUpdate["present"] | null;
  /** Hits that came faster than they could be told. */
  leftOut: number;
  line: "opening" | "open" | "broken";
  /** What to add to this clock to get the server's. */
  skew: number;
}

const NONE: Arrivals = { hits: [], present: null, leftOut: 0, line: "opening", skew: 0 };

/** Hits as they arrive, newest first; one change of state for each batch, and no more than are looked at. */
export function useArrivals(site: string): Arrivals {
  const [arrivals, setArrivals] = useState<Arrivals>(NONE);
  useEffect(() => {
    setArrivals(NONE);
    const source = new EventSource(`/api/v1/sites/${site}/now/stream`);
    source.onmessage = (message: MessageEvent<string>) => {
      const told = JSON.parse(message.data) as LiveUpdate;
      setArrivals((now) => {
        const newest = now.hits[0]?.seq ?? -1;
        const fresh = told.arrived.filter((hit) => hit.seq > newest);
        return {
          hits: fresh.length ? [...fresh, ...now.hits].slice(0, MAX_KEPT) : now.hits,
          present: told.present,
          leftOut: now.line === "opening" ? 0 : now.leftOut + told.left_out,
          line: "open",
          skew: told.at - Date.now(),
        };
      });
    };
    source.onerror = () => setArrivals((now) => ({ ...now, line: "broken" }));
    return () => source.close();
  }, [site]);
  return arrivals;
}

/** The time, once a second. */
export function useClock(skew: number): number {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const every = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(every);
  }, []);
  return now + skew;
}
