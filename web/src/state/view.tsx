import { useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { createContext, useCallback, useContext, useMemo, useRef, type ReactNode } from "react";

import type { DimensionFilter, Period, Registry, Site, StoredGoal, Versus } from "@/api/client";
import { goalsQuery, registryQuery } from "@/app/queries";
import { narrowed, narrowings, widened, type ViewSearch } from "@/state/address";
import { daysIn, plusDays } from "@/state/days";

/** What is being looked at, and how to look at something else. */
export interface View {
  site: Site;
  goals: StoredGoal[];
  goal: StoredGoal | undefined;
  registry: Registry | undefined;
  ready: boolean;
  trouble: Error | null;
  again: () => void;
  period: Period;
  versus: Versus;
  versusPeriod: Period | null;
  filters: DimensionFilter[];
  live: boolean;
  setPeriod: (period: Period) => void;
  setVersus: (versus: Versus) => void;
  steerBy: (goal: number) => void;
  narrow: (dimension: string, value: string, without?: boolean) => void;
  widen: (narrowing: DimensionFilter) => void;
  undo: () => void;
}

const Context = createContext<View | null>(null);

export function useView(): View {
  const view = useContext(Context);
  if (!view) throw new Error("useView belongs inside a ViewProvider");
  return view;
}

/** The last `count` complete days before today. */
export const completeDays = (today: string, count: number): Period => ({ first: plusDays(today, -count), last: plusDays(today, -1) });

export function versusOf(period: Period, versus: Versus): Period | null {
  if (versus === "none") return null;
  const back = versus === "before" ? daysIn(period.first, period.last) : 364;
  return { first: plusDays(period.first, -back), last: plusDays(period.last, -back) };
}

export function ViewProvider({ site, children }: { site: Site; children: ReactNode }) {
  const search = useSearch({ strict: false }) as ViewSearch;
  const navigate = useNavigate();
  const goals = useQuery(goalsQuery(site.key));
  const registry = useQuery(registryQuery(site.key));

  const go = useCallback(
    (change: (now: ViewSearch) => ViewSearch) =>
      void navigate({ to: ".", search: (now: ViewSearch) => change(now) } as Parameters<typeof navigate>[0]),
    [navigate],
  );

  // What was narrowed before each narrowing, so that the last one can be taken back.
  const taken = useRef<Pick<ViewSearch, "only" | "without">[]>([]);
  const narrowTo = useCallback(
    (change: (now: ViewSearch) => ViewSearch) => {
      taken.current.push({ only: search.only, without: search.without });
      go(change);
    },
    [search, go],
  );

  const view = useMemo((): View => {
    const usual = completeDays(site.today, 28);
    const period = search.from && search.to ? { first: search.from, last: search.to } : usual;
    const versus = search.versus ?? "before";
    const known = (dimension: string) => registry.data?.dimensions.some((one) => one.name === dimension) ?? false;
    const goal = goals.data?.find((one) => one.id === search.goal) ?? goals.data?.[0];
    return {
      site,
      goals: goals.data ?? [],
      goal,
      registry: registry.data,
      ready: Boolean(goals.data && registry.data),
      trouble: goals.error ?? registry.error,
      again: () => void Promise.all([goals.refetch(), registry.refetch()]),
      period,
      versus,
      versusPeriod: versusOf(period, versus),
      filters: narrowings(search, known),
      live: period.last >= site.today,
      setPeriod: ({ first, last }) =>
        go((now) => ({
          ...now,
          ...(first === usual.first && last === usual.last ? { from: undefined, to: undefined } : { from: first, to: last }),
        })),
      setVersus: (to) => go((now) => ({ ...now, versus: to === "before" ? undefined : to })),
      steerBy: (id) => go((now) => ({ ...now, goal: id === goals.data?.[0]?.id ? undefined : id })),
      narrow: (dimension, value, without = false) => narrowTo((now) => narrowed(now, dimension, value, without)),
      widen: (narrowing) => narrowTo((now) => widened(now, narrowing)),
      undo: () => {
        const before = taken.current.pop();
        if (before) go((now) => ({ ...now, ...before }));
      },
    };
  }, [site, search, goals, registry, go, narrowTo]);

  return <Context.Provider value={view}>{children}</Context.Provider>;
}
