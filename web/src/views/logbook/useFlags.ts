import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import { logbookQuery } from "@/api/queries";
import type { Flag } from "@/charts/TimeChart";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { flagsOf } from "@/words/logbook";

/** What was noted on the days that are read, as flags of a chart over time. */
export function useFlags(points: readonly { at: string }[] | undefined): Flag[] {
  const { site } = useSite();
  const { period } = useView();
  const { data } = useQuery(logbookQuery(site.key));
  return useMemo(
    () =>
      data && points
        ? flagsOf(
            data,
            points.map((point) => point.at),
            period.last,
          )
        : [],
    [data, points, period.last],
  );
}
