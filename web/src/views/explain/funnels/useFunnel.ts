import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";

import { api, type Problem, type Schemas } from "@/api/client";
import type { ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import type { Funnel } from "@/words/funnels";
import { PLAIN_MATCH } from "@/words/segments";

export type StoredFunnel = Schemas["FunnelOut"];

export interface FunnelInHand {
  /** None while one is still being suggested, or looked up. */
  funnel: Funnel | null;
  /** By whose values it is split; an empty one by none. */
  by: string;
  /** All that are saved, and the one that is shown or was the beginning of what is built. */
  saved: StoredFunnel[];
  stored: StoredFunnel | undefined;
  /** Whether it stands in the address alone, and is not saved as it is. */
  isBuilt: boolean;
  error: Problem | null;
  again: () => void;
  set: (to: Partial<Funnel>) => void;
  splitBy: (dimension: string) => void;
  show: (id: number) => void;
  /** Back to the one that suggests itself. */
  clear: () => void;
}

const USUAL = { units: "visits", window_minutes: null, directly_next: false } as const;
const USUAL_SPLIT = "device";
const UNSPLIT = "none";
const NONE: never[] = [];
const isNumber = (text: string | undefined): text is string => text !== undefined && /^\d+$/.test(text);

/** The funnel that the address names; without one, that which suggests itself for the goal steered by. */
export function useFunnel(): FunnelInHand {
  const { site, registry } = useSite();
  const { period, segment, goal, live } = useView();
  const search = useSearch({ from: "/s/$site" });
  const navigate = useNavigate();
  const at = { params: { path: { site: site.key } } };
  const list = useQuery(api.queryOptions("get", "/api/v1/sites/{site}/funnels", at, { staleTime: 60_000 }));
  const saved = list.data ?? NONE;
  const named = isNumber(search.funnel) ? search.funnel : search.edit;
  const stored = saved.find((one) => String(one.id) === named);
  const built = search.funnel && !isNumber(search.funnel) ? (JSON.parse(search.funnel) as Funnel) : null;
  // One that is not there, or not any more, is as none.
  const isSuggested = !built && !(isNumber(search.funnel) && (stored || list.isPending));
  const last = goal?.goal.match ?? { ...PLAIN_MATCH, kind: "order" as const };
  const suggestion = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/funnel-suggestion",
      { ...at, body: { period, segment, last } },
      { enabled: isSuggested, placeholderData: keepPreviousData, refetchInterval: live ? 60_000 : false },
    ),
  );
  // Where nothing leads to the goal before all else, any page does.
  const steps = suggestion.data?.steps.length ? suggestion.data.steps : [{ ...PLAIN_MATCH, kind: "view" as const }, last];
  const suggested = isSuggested && suggestion.data ? { ...USUAL, steps } : null;
  const funnel = built ?? (isSuggested ? suggested : (stored?.funnel ?? null));
  const known = registry?.dimensions.find((one) => one.name === search.by)?.name;
  const usualSplit = stored ? (stored.dimension ?? "") : USUAL_SPLIT;
  const by = search.by === UNSPLIT ? "" : (known ?? usualSplit);
  const go = (to: Pick<ViewSearch, "funnel" | "by" | "edit">) =>
    void navigate({ to: ".", search: (now: ViewSearch) => ({ ...now, ...to }) });
  const change = (to: Partial<Funnel>, split: string) =>
    funnel &&
    go({
      funnel: JSON.stringify({ ...funnel, ...to }),
      by: split === usualSplit ? undefined : split || UNSPLIT,
      edit: stored ? String(stored.id) : undefined,
    });
  const error = list.error ?? (isSuggested ? suggestion.error : null);
  return {
    funnel,
    by,
    saved,
    stored,
    isBuilt: built !== null,
    error,
    again: () => void Promise.all([list.refetch(), suggestion.refetch()]),
    set: (to) => change(to, by),
    splitBy: (dimension) => (isSuggested ? go({ by: dimension === usualSplit ? undefined : dimension || UNSPLIT }) : change({}, dimension)),
    show: (id) => go({ funnel: String(id), by: undefined, edit: undefined }),
    clear: () => go({ funnel: undefined, by: undefined, edit: undefined }),
  };
}
