import { useQuery } from "@tanstack/react-query";

import type { Measure, SegmentPart } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { tableQuery, type Asked } from "@/api/queries";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView, type Under } from "@/state/view";
import { ErrorState } from "@/ui/states";
import { times } from "@/words/comparing";
import { figure, NOTHING, periodWords, within } from "@/words/format";
import { partWords } from "@/words/segments";

interface OpenedShareProps {
  /** What the share is of. */
  of: SegmentPart;
  /** The others, where it is how many times as large it is as theirs. */
  heldAgainst?: SegmentPart | undefined;
  /** The days of their own that those are read of. */
  heldUnder?: Under | undefined;
  /** The value that they have or have not; without one it is how many of them are the segment that was opened. */
  row: { dimension: string; value: string }[];
  /** How many that segment holds. */
  opened: number;
  measure: Measure;
  asked: Asked;
}

/** A share that is opened, or how many times as large it is as that of others: of whom, with its numbers put in. */
export function OpenedShare({ of, heldAgainst, heldUnder, row, opened, measure, asked }: OpenedShareProps) {
  const { registry, segments } = useSite();
  const { segment } = useView();
  const own = useShareOf(of, row, measure, { ...asked, segment }, row.length ? undefined : opened);
  const others = useShareOf(
    heldAgainst,
    row,
    measure,
    heldUnder ? { ...asked, segment: null, period: { first: heldUnder.from, last: heldUnder.to } } : { ...asked, segment },
  );
  const failed = [own, others].find((one) => one.isError);
  if (failed) return <ErrorState error={failed.error} again={() => void failed.refetch()} />;
  if (!own.share || (heldAgainst && !others.share)) return <LedgerSkeleton rows={2} />;
  const them = (part: SegmentPart) => {
    const words = partWords(part, { registry, segments });
    if (part.kind === "saved") return words;
    return part.segment.where.conditions.length ? `the ${within(words)}` : within(words);
  };
  const ratio = others.share?.of && own.share.of !== null ? own.share.of / others.share.of : null;
  const shown = heldAgainst ? (ratio === null ? "" : times(ratio)) : own.share.of === null ? "" : figure(own.share.of, "percent");
  return (
    <>
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {shown || NOTHING}
      </p>
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">What it is</h3>
      <p>
        {heldAgainst
          ? `How many times as likely ${them(of)} are among these as ${them(heldAgainst)}${
              heldUnder ? ` were, ${periodWords({ first: heldUnder.from, last: heldUnder.to })}` : ""
            }.`
          : `How many of ${them(of)} are among these.`}
      </p>
      <p className="my-1.5 font-serif text-note" data-numbers>
        = {others.share ? `(${numbersOf(own.share)}) ÷ (${numbersOf(others.share)})` : numbersOf(own.share)}
        {shown && ` = ${shown}${heldAgainst ? "" : " %"}`}
      </p>
      {heldAgainst && own.share.of !== null && others.share?.of != null && (
        <p className="my-1.5 font-serif text-note">
          = {figure(own.share.of, "percent")} % ÷ {figure(others.share.of, "percent")} %
        </p>
      )}
    </>
  );
}

interface Share {
  having: number;
  whole: number;
  /** Of nobody there is none. */
  of: number | null;
}

const numbersOf = ({ having, whole }: Share): string => `${figure(having, "count")} ÷ ${figure(whole, "count")}`;

/** How many of those in a segment have a value: its row and the total of one table. */
function useShareOf(part: SegmentPart | undefined, row: OpenedShareProps["row"], measure: Measure, asked: Asked, known?: number) {
  const { site } = useSite();
  const { live } = useView();
  const request = {
    ...asked,
    segment: narrowedBy(asked.segment ?? null, [], part ? [part] : []),
    versus: "none" as const,
    dimensions: row.map((one) => one.dimension),
    parents: row.map((one) => one.value),
    measures: [measure.name],
    descending: true,
    limit: 1,
  };
  const table = useQuery({ ...tableQuery(site.key, request, { live }), enabled: part !== undefined });
  const having = known ?? table.data?.rows[0]?.values[measure.name] ?? 0;
  const whole = table.data?.total.values[measure.name] ?? 0;
  const share: Share | null = table.data && part ? { having, whole, of: whole ? having / whole : null } : null;
  return { ...table, share };
}
