import { useQuery } from "@tanstack/react-query";

import { api, type SegmentPart } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { lostPart } from "@/views/explain/funnels/parts";
import { SegmentBegun } from "@/views/shared/Behind";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { doing } from "@/words/comparing";
import { figure } from "@/words/format";
import { lostWords, stepName, type Funnel, type FunnelRow } from "@/words/funnels";

interface LostThereProps {
  funnel: Funnel;
  step: number;
  row: FunnelRow;
  /** The segment that the row is, where it is one. */
  part: SegmentPart | undefined;
  dimension: { name: string; title: string } | null;
}

const MAX_TOLD = 4;

/** What those of one row did who were lost at a step, and the way to a segment of them. */
export function LostThere({ funnel, step, row, part, dimension }: LostThereProps) {
  const { site } = useSite();
  const { period, segment, live } = useView();
  const { value } = row;
  const filters = dimension && value !== null ? [{ dimension: dimension.name, values: [value], without: false }] : [];
  const narrowed = narrowedBy(segment, filters, part && value === null ? [part] : []);
  const body = { period, versus: "none" as const, segment: narrowed, funnel, beside: [], limit: 1 };
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/funnel",
      { params: { path: { site: site.key } }, body },
      { refetchInterval: live ? 4_000 : false },
    ),
  );
  const [lost, to] = [asked.data?.whole.lost[step], asked.data?.lost_to[step - 1]];
  const before = funnel.steps[step - 1];
  if (!lost || !to || !before) return null;
  const who = dimension && value !== null ? `who ${doing(dimension, value, "then").join(" ")}` : `in ${row.name}`;
  return (
    <p className="max-w-[900px] font-serif text-note wrap-anywhere">
      Of the {figure(lost, "count")} {who} and came no further than {stepName(before)}: {lostWords(to, MAX_TOLD)}.{" "}
      <SegmentBegun
        className="text-teal underline decoration-sea-2 decoration-1 underline-offset-3"
        site={site.key}
        draft={narrowedBy(segment, filters, [...(part && value === null ? [part] : []), lostPart(funnel, step)])}
      >
        Make a segment of them
      </SegmentBegun>
    </p>
  );
}
