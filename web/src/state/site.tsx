import { useQuery } from "@tanstack/react-query";
import { createContext, useContext, useMemo, type ReactNode } from "react";

import type { Problem, Registry, Site, StoredGoal, StoredSegment } from "@/api/client";
import { goalsQuery, registryQuery, segmentsQuery } from "@/api/queries";

/** The site in hand and what is defined there; it stays what it is whatever is looked at. */
export interface SiteInHand {
  site: Site;
  goals: StoredGoal[];
  /** Those that are saved, archived ones too. */
  segments: StoredSegment[];
  registry: Registry | undefined;
  ready: boolean;
  trouble: Problem | null;
  again: () => void;
}

const Context = createContext<SiteInHand | null>(null);

export function useSite(): SiteInHand {
  const found = useContext(Context);
  if (!found) throw new Error("useSite belongs inside a SiteProvider");
  return found;
}

const NONE: never[] = [];

export function SiteProvider({ site, children }: { site: Site; children: ReactNode }) {
  const { data: goals = NONE, isSuccess: hasGoals, error: goalsError, refetch: goalsAgain } = useQuery(goalsQuery(site.key));
  const { data: registry, error: registryError, refetch: registryAgain } = useQuery(registryQuery(site.key));
  const { data: segments = NONE, isSuccess: hasSegments, error: segmentsError, refetch: segmentsAgain } = useQuery(segmentsQuery(site.key));
  const ready = hasGoals && hasSegments && registry !== undefined;
  const trouble = goalsError ?? registryError ?? segmentsError;
  const value = useMemo(
    () => ({
      site,
      goals,
      segments,
      registry,
      ready,
      trouble,
      again: () => void Promise.all([goalsAgain(), registryAgain(), segmentsAgain()]),
    }),
    [site, goals, segments, registry, ready, trouble, goalsAgain, registryAgain, segmentsAgain],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
