import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import { api, type Segment, type Series } from "@/api/client";
import { useFlags } from "@/views/logbook/useFlags";
import { stepFor, useTimeSeries } from "@/charts/useTimeSeries";
import { TimeChart } from "@/charts/TimeChart";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { versusWords } from "@/words/format";
import { stepName, type Funnel } from "@/words/funnels";

interface StepCourseProps {
  funnel: Funnel;
  step: number;
  segment: Segment | null;
  figure?: "took" | "went on";
}

/** The course of one step: of those who came to the step before, the share that went on, or how long it took them; of the first, how many came. */
export function StepCourse({ funnel, step, segment, figure = "went on" }: StepCourseProps) {
  const { site } = useSite();
  const { period, versus, live, step: wanted } = useView();
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/funnel-series",
      { params: { path: { site: site.key } }, body: { period, versus, segment, funnel, bucket: stepFor(period, wanted) } },
      { refetchInterval: live ? 4_000 : false },
    ),
  );
  const series = useMemo((): Series | undefined => {
    const found = asked.data;
    if (!found) return undefined;
    const shareAt = (counts: number[][] | null | undefined, place: number): number | null => {
      const [here, before] = [counts?.[step]?.[place] ?? 0, counts?.[step - 1]?.[place] ?? 0];
      return step === 0 ? here : before ? here / before : null;
    };
    const points = found.at.map((at, place) => ({
      at,
      values: { "went on": shareAt(found.reached, place), took: found.median[step]?.[place] ?? null },
      before: { "went on": found.before ? shareAt(found.before, place) : null, took: found.median_before?.[step]?.[place] ?? null },
    }));
    return { ...found, points, total: { values: {} } } as unknown as Series;
  }, [asked.data, step]);
  const course = useTimeSeries(series, figure, site.today);
  const flags = useFlags(course?.points);
  const [here, before] = [funnel.steps[step], funnel.steps[step - 1]];
  if (!here) return null;
  const title = before ? `From ${stepName(before)} on to ${stepName(here)}` : `Who came to ${stepName(here)}`;
  return (
    <section aria-label="The course of a step" className="grid grid-cols-[minmax(0,1fr)] gap-1">
      <Title>
        {title}
        {before && (
          <span className="font-sans text-label font-normal text-ink-2">
            {" "}
            {figure === "took" ? "median, min" : "%"}, by the time of step 1
          </span>
        )}
      </Title>
      {asked.isError ? (
        <ErrorState error={asked.error} again={() => void asked.refetch()} />
      ) : course ? (
        <TimeChart
          {...course}
          title={title}
          unit={!before ? "count" : figure === "took" ? "seconds" : "percent"}
          versus={versus === "none" ? null : versusWords(period, versus)}
          flags={flags}
          height={190}
        />
      ) : (
        <LedgerSkeleton rows={4} />
      )}
    </section>
  );
}
