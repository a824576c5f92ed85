import { useQuery } from "@tanstack/react-query";
import { createContext, useContext, useMemo, type ReactNode } from "react";

import type { Problem, Registry, Site, StoredGoal } from "@/api/client";
import { goalsQuery, registryQuery } from "@/api/queries";

/** The site in hand and what is defined there; it stays what it is whatever is looked at. */
export interface SiteInHand {
  site: Site;
  goals: StoredGoal[];
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

const NONE: StoredGoal[] = [];

export function SiteProvider({ site, children }: { site: Site; children: ReactNode }) {
  const { data: goals = NONE, isSuccess: hasGoals, error: goalsError, refetch: goalsAgain } = useQuery(goalsQuery(site.key));
  const { data: registry, error: registryError, refetch: registryAgain } = useQuery(registryQuery(site.key));
  const ready = hasGoals && registry !== undefined;
  const trouble = goalsError ?? registryError;
  const value = useMemo(
    () => ({ site, goals, registry, ready, trouble, again: () => void Promise.all([goalsAgain(), registryAgain()]) }),
    [site, goals, registry, ready, trouble, goalsAgain, registryAgain],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
