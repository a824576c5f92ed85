import { useQuery } from "@tanstack/react-query";

import type { Measure, SegmentPart } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { tableQuery, type Asked } from "@/api/queries";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ErrorState } from "@/ui/states";
import { figure, NOTHING } from "@/words/format";
import { partWords } from "@/words/segments";

interface OpenedShareProps {
  /** What the share is of. */
  of: SegmentPart;
  measure: Measure;
  /** How many have it. */
  having: number;
  asked: Asked;
}

/** A share that is opened: of whom, with its numbers put in. */
export function OpenedShare({ of, measure, having, asked }: OpenedShareProps) {
  const { site, registry, segments } = useSite();
  const { segment, live } = useView();
  const all = { ...asked, segment: narrowedBy(segment, [], [of]), versus: "none" as const };
  const table = useQuery(tableQuery(site.key, { ...all, dimensions: [], measures: [measure.name], descending: true, limit: 1 }, { live }));
  if (table.isError) return <ErrorState error={table.error} again={() => void table.refetch()} />;
  if (!table.data) return <LedgerSkeleton rows={2} />;
  const whole = table.data.total.values[measure.name] ?? 0;
  const words = partWords(of, { registry, segments });
  const them = of.kind === "saved" ? words : `the ${words.charAt(0).toLowerCase()}${words.slice(1)}`;
  const share = whole ? figure(having / whole, "percent") : "";
  return (
    <>
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {share || NOTHING}
      </p>
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">What it is</h3>
      <p>How many of {them} are among these.</p>
      <p className="my-1.5 font-serif text-note" data-numbers>
        = {figure(having, "count")} ÷ {figure(whole, "count")}
        {share && ` = ${share} %`}
      </p>
    </>
  );
}
