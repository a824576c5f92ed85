import { useNavigate, useSearch } from "@tanstack/react-router";

import { asked, usualAgainst, usualGroup, type Comparison, type CompareRequest } from "@/views/explain/groups";
import type { ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";

interface Compared {
  comparison: Comparison;
  /** As the API is asked for it. */
  request: CompareRequest;
  set: (to: Pick<ViewSearch, "group" | "against" | "by" | "units">) => void;
}

/** The comparison that the address names, with what it leaves out as is usual. */
export function useComparison(): Compared {
  const { goals, segments, registry } = useSite();
  const { period, segment, goal } = useView();
  const search = useSearch({ from: "/s/$site" });
  const navigate = useNavigate();
  const given = { period, segment, segments, goals, goal };
  const group = usualGroup(given, search.group);
  const comparison: Comparison = {
    group,
    against: usualAgainst(group, search.against, segments),
    units: search.units ?? "people",
    by: registry?.dimensions.find((one) => one.name === search.by)?.name ?? null,
  };
  return {
    comparison,
    request: asked(comparison, given),
    set: (to) => void navigate({ to: ".", search: (now: ViewSearch) => ({ ...now, ...to }) }),
  };
}
