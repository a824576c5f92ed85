import { useQuery } from "@tanstack/react-query";

import { api, type Schemas, type Segment } from "@/api/client";
import { MAX_PARTS, PartsList, usePartsBy } from "@/views/shared/PartsList";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { duration, figure, NOTHING } from "@/words/format";
import type { Funnel } from "@/words/funnels";

interface StepPartsProps {
  funnel: Funnel;
  step: number;
  figure: "took" | "went on";
  segment: Segment | null;
  /** Dimensions that it is narrowed by already. */
  taken: readonly string[];
}

/** The parts of a step, by a value at step 1: of those who came to the step before how many went on, or how long it took them. */
export function StepParts({ funnel, step, figure: of, segment, taken }: StepPartsProps) {
  const { site } = useSite();
  const { period, live } = useView();
  const { dimension, ...by } = usePartsBy(taken);
  const body: Schemas["FunnelRequest"] = {
    period,
    versus: "none",
    segment,
    funnel,
    beside: [],
    dimension: dimension?.name ?? null,
    limit: MAX_PARTS,
  };
  const found = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/funnel",
      { params: { path: { site: site.key } }, body },
      { enabled: dimension !== undefined, refetchInterval: live ? 4_000 : false },
    ),
  );
  if (!dimension) return null;
  const text = (row: Schemas["FunnelFigures"]): string => {
    const [median, went] = [row.median[step], row.of_previous[step]];
    if (of === "took") return median == null ? NOTHING : duration(median * 1000);
    const numbers = `${figure(row.reached[step], "count")} of ${figure(row.reached[step - 1], "count")}`;
    return went == null ? NOTHING : `${numbers}, ${figure(went, "percent")} %`;
  };
  return (
    <PartsList
      by={{ ...by, dimension }}
      rows={found.data?.values?.map((value, place) => ({ value, text: text(found.data.rows?.[place] ?? found.data.whole) })) ?? null}
      count={found.data?.count ?? 0}
      isFetching={found.isFetching}
      failed={found.isError ? { error: found.error, again: () => void found.refetch() } : null}
    />
  );
}
