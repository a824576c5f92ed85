import { useQuery } from "@tanstack/react-query";

import type { Period, Problem } from "@/api/client";
import { tableQuery } from "@/api/queries";
import { useSite } from "@/state/site";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { useView } from "@/state/view";

const MAX_VALUES = 300;

interface Values {
  values: { value: string; visits: number }[];
  /** How many there are in all. */
  count: number;
  isPending: boolean;
  error: Problem | null;
}

/** The commonest values of a dimension, each with its visits; of very many those that hold what is looked for. In the period that is read, or in another. */
export function useValues(dimension: string, { of, query = "" }: { of?: Period; query?: string } = {}): Values {
  const { site } = useSite();
  const view = useView();
  const live = !of && view.live;
  const asked = {
    period: of ?? view.period,
    versus: "none" as const,
    goal: null,
    segment: null,
    dimensions: [dimension],
    measures: ["visits"],
    limit: MAX_VALUES,
  };
  const wanted = useDebouncedValue(query.trim(), 250);
  const all = useQuery(tableQuery(site.key, asked, { live }));
  const isLong = all.data !== undefined && all.data.count > MAX_VALUES;
  const where = [{ of: dimension, test: "contains" as const, value: wanted }];
  const found = useQuery({ ...tableQuery(site.key, { ...asked, where }, { live }), enabled: isLong && wanted !== "" });
  const { data, error } = isLong && wanted !== "" && found.data ? found : all;
  // While another dimension is read, what is held is that of the one before.
  const rows = data?.dimensions[0] === dimension ? data.rows : null;
  return {
    values: (rows ?? []).map((row) => ({ value: row.keys[0] ?? "", visits: row.values["visits"] ?? 0 })),
    count: rows ? (data?.count ?? 0) : 0,
    isPending: !rows && !error,
    error,
  };
}
