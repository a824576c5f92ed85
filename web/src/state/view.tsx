import { useNavigate, useSearch } from "@tanstack/react-router";
import { createContext, useContext, useEffect, useMemo, useRef, type ReactNode } from "react";

import type { DimensionFilter, Period, Segment, SegmentPart, StoredGoal, Versus } from "@/api/client";
import { segmentOf } from "@/api/figures";
import {
  elsewhere,
  narrowed,
  narrowings,
  parseSearch,
  partOf,
  partText,
  readView,
  renarrowed,
  samePeriod,
  stringifySearch,
  widened,
  type Taking,
  type ViewSearch,
} from "@/state/address";
import { completeDays, daysIn, plusDays } from "@/state/days";
import type { ViewPath } from "@/state/paths";
import { useSite } from "@/state/site";
import { undoNotice } from "@/ui/Toast";

/** What is being looked at. */
export interface View {
  goal: StoredGoal | undefined;
  period: Period;
  versus: Versus;
  versusPeriod: Period | null;
  filters: DimensionFilter[];
  /** Whole segments beside the filters. */
  parts: SegmentPart[];
  /** What filters and whole segments say together. */
  segment: Segment | null;
  /** Segments that ledgers and charts show side by side, each within `segment`. */
  beside: SegmentPart[];
  live: boolean;
  /** By which steps charts over time shall be read. */
  step: ViewSearch["step"];
  /** Of whom alone hits are shown as they arrive. */
  visitor: string | undefined;
  /** What an address must say to be read as this is, where it is not what the strip says. */
  under: Partial<ViewSearch>;
}

/** Days and a goal of its own, under which all visits are read. */
export interface Under {
  from: string;
  to: string;
  goal?: number;
}

/** How to look at something else. It stays the same for as long as the site is in hand, so who only steers is not drawn anew. */
export interface Steering {
  setPeriod: (period: Period) => void;
  setVersus: (versus: Versus) => void;
  steerBy: (goal: number) => void;
  /** `at`: the view that is gone to with it. */
  narrow: (dimension: string, value: string, how?: Taking, at?: ViewPath) => void;
  renarrow: (narrowing: DimensionFilter, values: readonly string[]) => void;
  widen: (narrowing: DimensionFilter) => void;
  /** Which whole segments are read, or stand side by side. */
  setParts: (parts: readonly SegmentPart[], at?: ViewPath) => void;
  setBeside: (parts: readonly SegmentPart[]) => void;
  follow: (visitor: string | undefined) => void;
  readBy: (step: ViewSearch["step"]) => void;
  /** Takes back what was done last: what a notice offers to undo, or one of these. */
  undo: () => void;
}

const MAX_TAKEN_BACK = 100;
const ViewContext = createContext<View | null>(null);
const SteeringContext = createContext<Steering | null>(null);

export function useView(): View {
  const view = useContext(ViewContext);
  if (!view) throw new Error("useView belongs inside a ViewProvider");
  return view;
}

export function useSteering(): Steering {
  const steering = useContext(SteeringContext);
  if (!steering) throw new Error("useSteering belongs inside a ViewProvider");
  return steering;
}

export function versusOf(period: Period, versus: Versus): Period | null {
  if (versus === "none") return null;
  const back = versus === "before" ? daysIn(period.first, period.last) : 364;
  return { first: plusDays(period.first, -back), last: plusDays(period.last, -back) };
}

export function ViewProvider({ children }: { children: ReactNode }) {
  const { site, goals, registry, segments } = useSite();
  // What parts of a view show is theirs: it draws nothing else anew.
  const read = useSearch({ from: "/s/$site", select: (search) => stringifySearch({ ...search, shown: undefined }) });
  const search = useMemo(() => readView(parseSearch(read)), [read]);
  const navigate = useNavigate();
  // A site that began today has no complete day yet.
  const usual = useMemo(
    () => (site.first_day < site.today ? completeDays(site.today, 28) : { first: site.today, last: site.today }),
    [site.first_day, site.today],
  );

  const view = useMemo((): View => {
    const period = search.from && search.to ? { first: search.from, last: search.to } : usual;
    const versus = search.versus ?? "before";
    const known = (dimension: string) => registry?.dimensions.some((one) => one.name === dimension) ?? false;
    // One that is not there, or not any more, is left out.
    const there = (texts: string[] | undefined): SegmentPart[] =>
      (texts ?? [])
        .map(partOf)
        .filter((part): part is SegmentPart => part !== null && (part.kind === "segment" || segments.some((one) => one.id === part.id)));
    const filters = narrowings(search, known);
    const parts = there(search.segment);
    return {
      goal: goals.find((one) => one.id === search.goal) ?? goals[0],
      period,
      versus,
      versusPeriod: versusOf(period, versus),
      filters,
      parts,
      segment: segmentOf(filters, parts),
      beside: there(search.beside),
      live: period.last >= site.today,
      step: search.step,
      visitor: search.visitor,
      under: {},
    };
  }, [site.today, usual, goals, registry, segments, search]);

  const usually = useRef({ search, usual, goal: goals[0]?.id });
  useEffect(() => {
    usually.current = { search, usual, goal: goals[0]?.id };
  }, [search, usual, goals]);
  const steering = useMemo((): Steering => {
    // What was looked at before each change, so that the last one can be taken back.
    const taken: { before: ViewSearch; at: number }[] = [];
    type Change = (now: ViewSearch) => ViewSearch;
    const to = (change: Change, at?: ViewPath) =>
      void (at
        ? navigate({ to: at, params: { site: site.key }, search: (now: ViewSearch) => elsewhere(change(now)) })
        : navigate({ to: ".", search: change }));
    const go = (change: Change, at?: ViewPath) => {
      taken.push({ before: usually.current.search, at: performance.now() });
      taken.splice(0, taken.length - MAX_TAKEN_BACK);
      to(change, at);
    };
    return {
      setPeriod: (period) =>
        go((now) => ({
          ...now,
          ...(samePeriod(period, usually.current.usual) ? { from: undefined, to: undefined } : { from: period.first, to: period.last }),
        })),
      setVersus: (versus) => go((now) => ({ ...now, versus: versus === "before" ? undefined : versus })),
      steerBy: (id) => go((now) => ({ ...now, goal: id === usually.current.goal ? undefined : id })),
      narrow: (dimension, value, how = "only", at) => go((now) => narrowed(now, dimension, value, how), at),
      renarrow: (narrowing, values) => go((now) => renarrowed(now, narrowing, values)),
      widen: (narrowing) => go((now) => widened(now, narrowing)),
      follow: (visitor) => go((now) => ({ ...now, visitor })),
      readBy: (step) => go((now) => ({ ...now, step })),
      setParts: (parts, at) => go((now) => ({ ...now, segment: parts.map(partText) }), at),
      setBeside: (parts) => go((now) => ({ ...now, beside: parts.map(partText) })),
      undo: () => {
        if (undoNotice(taken.at(-1)?.at ?? 0)) return;
        const last = taken.pop();
        if (last) to(({ shown }) => ({ ...last.before, shown }));
      },
    };
  }, [navigate, site.key]);

  return (
    <SteeringContext.Provider value={steering}>
      <ViewContext.Provider value={view}>{children}</ViewContext.Provider>
    </SteeringContext.Provider>
  );
}

/** What is inside is read of days of its own, of all visits, whatever the strip says; with nothing given, as all else is. */
export function ReadUnder({ under, children }: { under: Under | undefined; children: ReactNode }) {
  const { site, goals } = useSite();
  const view = useView();
  const own = useMemo((): View => {
    if (!under) return view;
    const { from, to, goal } = under;
    const nothing = { only: undefined, without: undefined, segment: undefined, beside: undefined };
    return {
      ...view,
      goal: goals.find((one) => one.id === goal) ?? view.goal,
      period: { first: from, last: to },
      versus: "none",
      versusPeriod: null,
      filters: [],
      parts: [],
      segment: null,
      beside: [],
      live: to >= site.today,
      step: undefined,
      under: { from, to, versus: "none", ...(goal === undefined ? {} : { goal }), ...nothing },
    };
  }, [view, under, goals, site.today]);
  return <ViewContext.Provider value={own}>{children}</ViewContext.Provider>;
}
