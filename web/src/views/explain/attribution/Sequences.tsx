import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, type Schemas } from "@/api/client";
import { DataTable } from "@/charts/DataTable";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { reachWords, touchesSaid } from "@/words/attribution";
import { duration, figure, NOTHING, valueWords } from "@/words/format";

interface SequencesProps {
  /** Of whose conversions, and over which reach. */
  column: Schemas["Column"];
  dimension: string;
  did: string;
}

const MAX_TOLD = 8;
const TALLEST = 48;

/** How many touches conversions had, and the commonest ways of touches to one, whole. */
export function Sequences({ column, dimension, did }: SequencesProps) {
  const { site } = useSite();
  const { period, segment, goal, live } = useView();
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/touch-sequences",
      {
        params: { path: { site: site.key } },
        body: { period, segment, goal: goal?.id ?? null, column, dimension, limit: MAX_TOLD },
      },
      { placeholderData: keepPreviousData, refetchInterval: live ? 4_000 : false },
    ),
  );
  if (asked.isError) return <ErrorState error={asked.error} again={() => void asked.refetch()} />;
  if (!asked.data) return <LedgerSkeleton rows={4} />;
  const { sequences, lengths, count, conversions } = asked.data;
  if (!conversions) return null;
  const said = touchesSaid(lengths, did);
  const most = Math.max(...lengths.map((one) => one.conversions));
  return (
    <section
      aria-label="Ways of touches"
      aria-busy={asked.isPlaceholderData}
      className="held grid gap-x-9 gap-y-3 pt-2 min-[1000px]:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]"
    >
      <div className="grid content-start gap-2">
        <p className="font-serif text-note">{said}</p>
        <figure className="flex items-end gap-3 overflow-x-auto">
          {lengths.map((one) => (
            <span key={one.touches} className="grid justify-items-center text-micro text-ink-2" aria-hidden="true">
              {figure(one.conversions, "count")}
              <span className="w-5 bg-teal" style={{ height: Math.max(1, (one.conversions / most) * TALLEST) }} />
              {one.touches > 12 ? "more" : one.touches}
            </span>
          ))}
          <DataTable
            caption={`Conversions by how many touches they had, over ${reachWords(column.reach ?? 30)}`}
            heads={["Touches", "Conversions", "Median from the first touch"]}
            rows={lengths.map((one) => [
              one.touches > 12 ? "more" : String(one.touches),
              figure(one.conversions, "count"),
              one.median == null ? NOTHING : duration(one.median * 1000),
            ])}
          />
        </figure>
      </div>
      <div className="grid content-start gap-1">
        <Title>The commonest ways, whole</Title>
        <ol aria-label="The commonest ways">
          {sequences.map((one) => (
            <li key={one.values.join("\n")} className="flex items-baseline justify-between gap-4 border-b border-hairline py-[3px]">
              <span className="min-w-0 wrap-anywhere">
                {one.has_more && "… "}
                {one.values.map((value) => valueWords(dimension, value)).join(" → ")}
              </span>
              <span className="shrink-0 text-ink-2">
                {one.median == null ? "" : `${duration(one.median * 1000)}, `}
                <b className="font-semibold text-ink">{figure(one.conversions, "count")}</b>
              </span>
            </li>
          ))}
        </ol>
        {count > sequences.length && (
          <p className="text-label text-ink-2">
            The {sequences.length} commonest of {figure(count, "count")}; the time is the median from the first touch.
          </p>
        )}
      </div>
    </section>
  );
}
