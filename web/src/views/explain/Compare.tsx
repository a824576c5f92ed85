import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";

import { compareQuery } from "@/api/queries";
import type { Naming } from "@/views/explain/compared";
import { ComparedAnswer, strongest } from "@/views/explain/ComparedAnswer";
import { ComparedLedger } from "@/views/explain/ComparedLedger";
import { againstWords, groupWords, openedGroups, othersWords } from "@/views/explain/groups";
import { GroupsLine } from "@/views/explain/GroupsLine";
import { RowAside } from "@/views/explain/RowAside";
import { Remarks } from "@/views/explain/Remarks";
import { useComparison } from "@/views/explain/useComparison";
import { ViewPending } from "@/ledger/ViewPending";
import { readYes, useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { Button } from "@/ui/Button";
import { EmptyNote, ErrorState, ViewError } from "@/ui/states";
import { plural } from "@/words/format";
import type { ComparedRow } from "@/api/client";

/** Two groups held against each other, value by value: what the one has that the other has not. */
export function Compare() {
  const { trouble, again, ready } = useSite();
  if (trouble) return <ViewError error={trouble} again={again} />;
  return ready ? <Compared /> : <ViewPending />;
}

const rowId = (row: ComparedRow): string => `${row.dimension} ${row.value}`;

function Compared() {
  const { site, goals, segments, registry } = useSite();
  const { period, live } = useView();
  const { comparison, request, set } = useComparison();
  const [isFew, setFew] = useShown("too few", false, readYes);
  const [current, setCurrent] = useState<string | null>(null);
  const sure = useInfiniteQuery(compareQuery(site.key, request, { live }));
  const few = useInfiniteQuery({ ...compareQuery(site.key, { ...request, too_few: true }, { live }), enabled: isFew });
  if (sure.isError) return <ViewError error={sure.error} again={() => void sure.refetch()} />;
  const first = sure.data?.pages[0];
  const rows = sure.data?.pages.flatMap((page) => page.rows) ?? [];
  const fewRows = isFew ? (few.data?.pages.flatMap((page) => page.rows) ?? []) : [];
  const known = { goals, segments };
  const naming: Naming = {
    words: [groupWords(comparison.group, comparison.units, known), againstWords(comparison.against, period, comparison.units, known)],
    others: othersWords(comparison.against, period, segments),
    dimension: (name) => registry?.dimensions.find((one) => one.name === name) ?? { name, title: name },
  };
  const shown =
    [...rows, ...fewRows].find((one) => rowId(one) === current) ?? strongest(rows, first?.sizes.a ?? 0, naming.dimension)[0] ?? rows[0];
  const isEmpty = first !== undefined && (first.sizes.a === 0 || first.sizes.b === 0);
  const opening = openedGroups(comparison.group, request, first?.sizes.is_rest ?? true);
  const ledger = {
    opening,
    rowId,
    current: shown ? rowId(shown) : null,
    onCurrent: (row: ComparedRow) => setCurrent(rowId(row)),
    ...naming,
  };
  return (
    <div className="held grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-3" aria-busy={sure.isPlaceholderData}>
      <ComparedAnswer rows={rows} sizes={first?.sizes} units={comparison.units} tested={first?.tested ?? 0} {...naming} />
      <GroupsLine comparison={comparison} sizes={first?.sizes} set={set} />
      {sure.isPending && <LedgerSkeleton rows={14} />}
      {isEmpty && (
        <EmptyNote>
          {first.sizes.a === 0
            ? `There are no ${naming.words[0]} in these days. Choose other days, or another group.`
            : `Nobody is left to hold ${naming.words[0]} against. Choose another group, or another period to hold it against.`}
        </EmptyNote>
      )}
      {first && !isEmpty && (
        <div className="grid grid-cols-[minmax(0,1fr)_290px] gap-x-7 gap-y-4 max-[1100px]:grid-cols-[minmax(0,1fr)]">
          <div className="grid min-w-0 content-start gap-4">
            <ComparedLedger
              name="Compared values"
              rows={rows}
              sizes={first.sizes}
              count={first.count}
              onEnd={endOf(sure)}
              request={request}
              {...ledger}
            />
            {first.count_too_few > 0 && (
              <section aria-label="Too few to say" className="grid gap-2">
                <p className="flex flex-wrap items-baseline gap-x-3.5">
                  <b className="font-semibold">Too few to say</b>
                  <span className="text-ink-2">
                    {plural(first.count_too_few, "value")} with fewer than five expected in one of the groups.
                  </span>
                  <Button kind="link" aria-expanded={isFew} onClick={() => setFew((was) => !was)}>
                    {isFew ? "Hide them" : "Show them"}
                  </Button>
                </p>
                {isFew && few.isPending && <LedgerSkeleton rows={4} />}
                {isFew && few.isError && <ErrorState error={few.error} again={() => void few.refetch()} />}
                {fewRows.length > 0 && (
                  <ComparedLedger
                    name="Values of too few"
                    rows={fewRows}
                    sizes={first.sizes}
                    count={first.count_too_few}
                    onEnd={endOf(few)}
                    request={{ ...request, too_few: true }}
                    isUnsure
                    {...ledger}
                  />
                )}
              </section>
            )}
            <Remarks sizes={first.sizes} madeOf={first.madeOf} against={comparison.against} {...naming} />
          </div>
          {shown && <RowAside row={shown} sizes={first.sizes} tested={first.tested} {...naming} />}
        </div>
      )}
    </div>
  );
}

/** What is done when the end of a list comes in sight. */
const endOf = (pages: { hasNextPage: boolean; isFetchingNextPage: boolean; fetchNextPage: () => unknown }) => () => {
  if (pages.hasNextPage && !pages.isFetchingNextPage) void pages.fetchNextPage();
};
