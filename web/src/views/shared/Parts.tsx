import { useQuery } from "@tanstack/react-query";

import type { Measure } from "@/api/client";
import { tableQuery, type Asked } from "@/api/queries";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { MAX_PARTS, PartsList, usePartsBy } from "@/views/shared/PartsList";
import { figure } from "@/words/format";

interface PartsProps {
  asked: Asked;
  measure: Measure;
  /** Of which row it is the number. */
  of: readonly { dimension: string; value: string }[];
}

/** The parts of a measure. */
export function Parts({ asked, measure, of }: PartsProps) {
  const { site } = useSite();
  const { live } = useView();
  const taken = of.map((one) => one.dimension);
  const { dimension, ...by } = usePartsBy(taken);
  const sort = ["count", "money"].includes(measure.unit) ? measure.name : "visits";
  const found = useQuery({
    ...tableQuery(
      site.key,
      {
        ...asked,
        versus: "none",
        dimensions: [...taken, dimension?.name ?? ""],
        parents: of.map((one) => one.value),
        measures: [...new Set([measure.name, sort])],
        sort,
        descending: true,
        limit: MAX_PARTS,
      },
      { live },
    ),
    enabled: dimension !== undefined,
  });
  if (!dimension) return null;
  const rows = found.data?.dimensions.at(-1) === dimension.name ? found.data.rows : null;
  return (
    <PartsList
      by={{ ...by, dimension }}
      rows={
        rows &&
        rows.map(({ keys, values, few }) => ({
          value: keys.at(-1) ?? "",
          text: figure(values[measure.name], measure.unit),
          isFew: few.includes(measure.name),
        }))
      }
      count={found.data?.count ?? 0}
      isFetching={found.isFetching}
      failed={found.isError ? { error: found.error, again: () => void found.refetch() } : null}
    />
  );
}
