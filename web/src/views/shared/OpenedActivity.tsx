import { useQuery } from "@tanstack/react-query";

import { activityQuery } from "@/api/queries";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ErrorState } from "@/ui/states";
import { saidOf, type Did } from "@/views/read/activityFigures";
import { lastWord, plural } from "@/words/format";

/** A figure of a form, a promotion or a medium that is opened. `visits`: in so many it was done, which are what is read beneath. */
export function OpenedActivity({ did, visits }: { did: Did; visits: number }) {
  const { site } = useSite();
  const { period, goal, segment, live } = useView();
  const found = useQuery(activityQuery(site.key, { period, goal: goal?.id ?? null, segment, limit: 500 }, { live }));
  if (found.isError) return <ErrorState error={found.error} again={() => void found.refetch()} />;
  if (!found.data) return <LedgerSkeleton rows={2} />;
  const said = saidOf(found.data, did, goal ? { name: goal.name, word: lastWord(goal.name) } : null);
  if (!said) return <p className="mt-3 text-ink-2">Nothing of this was done in these days.</p>;
  return (
    <>
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {said.figure}
      </p>
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">What it is</h3>
      <p>{said.meaning}</p>
      {said.numbers && (
        <p className="my-1.5 font-serif text-note" data-numbers>
          = {said.numbers} = {said.figure}
        </p>
      )}
      <p className="text-ink-2">Done in {plural(visits, "visit")}.</p>
    </>
  );
}
