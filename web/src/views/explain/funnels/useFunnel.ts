import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";

import { api, type Problem } from "@/api/client";
import type { ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import type { Funnel } from "@/words/funnels";
import { PLAIN_MATCH } from "@/words/segments";

interface FunnelInHand {
  /** None while one is still being suggested. */
  funnel: Funnel | null;
  /** Whether it was found in the paths of the site, and not built. */
  isSuggested: boolean;
  /** By whose values it is split; an empty one by none. */
  by: string;
  error: Problem | null;
  again: () => void;
  set: (to: Partial<Funnel>) => void;
  splitBy: (dimension: string) => void;
  /** Back to the one that suggests itself. */
  clear: () => void;
}

const USUAL = { units: "visits", window_minutes: null, directly_next: false } as const;
const USUAL_SPLIT = "device";
const UNSPLIT = "none";

/** The funnel that the address names; without one, that which suggests itself for the goal steered by. */
export function useFunnel(): FunnelInHand {
  const { site, registry } = useSite();
  const { period, segment, goal, live } = useView();
  const search = useSearch({ from: "/s/$site" });
  const navigate = useNavigate();
  const last = goal?.goal.match ?? { ...PLAIN_MATCH, kind: "order" as const };
  const suggestion = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/funnel-suggestion",
      { params: { path: { site: site.key } }, body: { period, segment, last } },
      { enabled: !search.funnel, placeholderData: keepPreviousData, refetchInterval: live ? 60_000 : false },
    ),
  );
  const built = search.funnel ? (JSON.parse(search.funnel) as Funnel) : null;
  // Where nothing leads to the goal before all else, any page does.
  const steps = suggestion.data?.steps.length ? suggestion.data.steps : [{ ...PLAIN_MATCH, kind: "view" as const }, last];
  const funnel = built ?? (suggestion.data ? { ...USUAL, steps } : null);
  const go = (to: Pick<ViewSearch, "funnel" | "by">) => void navigate({ to: ".", search: (now: ViewSearch) => ({ ...now, ...to }) });
  const known = registry?.dimensions.find((one) => one.name === search.by)?.name;
  return {
    funnel,
    isSuggested: !built && Boolean(suggestion.data?.steps.length),
    by: search.by === UNSPLIT ? "" : (known ?? USUAL_SPLIT),
    error: built ? null : suggestion.error,
    again: () => void suggestion.refetch(),
    set: (to) => funnel && go({ funnel: JSON.stringify({ ...funnel, ...to }) }),
    splitBy: (dimension) => go({ by: dimension === USUAL_SPLIT ? undefined : dimension || UNSPLIT }),
    clear: () => go({ funnel: undefined }),
  };
}
