import { useQuery } from "@tanstack/react-query";

import type { Period, Problem } from "@/api/client";
import { tableQuery } from "@/api/queries";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";

const MAX_VALUES = 200;

interface Values {
  values: { value: string; visits: number }[];
  isPending: boolean;
  error: Problem | null;
}

/** The commonest values of a dimension, each with its visits: in the period that is read, or in another. */
export function useValues(dimension: string, of?: Period): Values {
  const { site } = useSite();
  const view = useView();
  const live = !of && view.live;
  const asked = {
    period: of ?? view.period,
    versus: "none" as const,
    goal: null,
    filters: [],
    dimensions: [dimension],
    measures: ["visits"],
  };
  const { data, isPending, error } = useQuery(tableQuery(site.key, { ...asked, limit: MAX_VALUES }, { live }));
  // While another dimension is read, what is held is that of the one before.
  const rows = data?.dimensions[0] === dimension ? data.rows : [];
  return { values: rows.map((row) => ({ value: row.keys[0] ?? "", visits: row.values["visits"] ?? 0 })), isPending, error };
}
