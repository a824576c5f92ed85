import { useMemo } from "react";

import { CentreLine } from "@/views/explain/paths/CentreLine";
import { PathChart } from "@/views/explain/paths/PathChart";
import { PathTable } from "@/views/explain/paths/PathTable";
import { treeOf } from "@/views/explain/paths/tree";
import { usePaths } from "@/views/explain/paths/usePaths";
import { Key } from "@/charts/Key";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { ViewPending } from "@/ledger/ViewPending";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { NamedValue } from "@/views/shared/NamedValue";
import { EmptyNote, ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { lastWord, within } from "@/words/format";
import { pathSaid } from "@/words/paths";

/** What visits do before and after a place, step by step. */
export function Paths() {
  const { trouble, again, ready } = useSite();
  if (trouble) return <ViewError error={trouble} again={again} />;
  return ready ? <Ways /> : <ViewPending />;
}

function Ways() {
  const { goal } = useView();
  const paths = usePaths();
  const { centre, steps, result, error, again } = paths;
  const forward = useMemo(() => treeOf(result?.forward ?? [], "forward", steps), [result, steps]);
  const backward = useMemo(() => treeOf(result?.backward ?? [], "backward", steps), [result, steps]);
  if (error) return <ViewError error={error} again={again} />;
  if (paths.isEmpty)
    return (
      <div className="grid gap-3">
        <Answer>No page was seen in these days.</Answer>
        <EmptyNote>Choose other days; as soon as a page is seen, the ways from it stand here.</EmptyNote>
      </div>
    );
  if (!result || !centre)
    return (
      <div className="grid gap-3">
        <Answer> </Answer>
        <LedgerSkeleton rows={12} />
      </div>
    );
  const did = goal ? within(lastWord(goal.name)) : "";
  const said = pathSaid(result, centre);
  const all = result.centre;
  return (
    <div className="held grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-3" aria-busy={paths.isStale}>
      <Answer>
        {all.visits === 0 ? `No ${said.middle.replace(/^0 /, "")} in these days.` : `Of ${said.middle}, `}
        {said.next && (
          <>
            {said.next.share} went on to{" "}
            <NamedValue
              dimension={steps === "events" ? "event" : steps === "page groups" ? "page_group" : "page"}
              value={said.next.value}
              words={said.next.value}
            />
            {said.next.converted && `, and ${said.next.converted} ${did} come that way`}
          </>
        )}
        {said.left && `${said.next ? "; " : ""}${said.left} left at once`}
        {all.visits > 0 && !said.next && !said.left && "no step stands out"}
        {all.visits > 0 && "."}
      </Answer>
      <CentreLine paths={paths} />
      {all.visits === 0 ? (
        <EmptyNote>Choose other days, or another centre: its word is its control.</EmptyNote>
      ) : paths.isTable ? (
        <PathTable {...{ paths, centre, all, did }} nodes={[...forward, ...backward]} />
      ) : (
        <>
          <PathChart {...{ paths, forward, backward, centre, all, did }} />
          <p className="flex flex-wrap gap-x-5 gap-y-1 text-label text-ink-2">
            <Key size={[26, 10]} mark={<rect className="fill-sea-1 stroke-ink [stroke-width:.75]" width="26" height="10" />}>
              on the site
            </Key>
            <Key
              size={[26, 10]}
              mark={<rect className="fill-land stroke-ink [stroke-dasharray:3_2] [stroke-width:.75]" width="26" height="10" />}
            >
              arrived or left
            </Key>
            {did && (
              <Key
                size={[6, 12]}
                mark={
                  <>
                    <rect className="fill-sea-2" width="6" height="12" />
                    <rect className="fill-teal" width="6" height="5" />
                  </>
                }
              >
                top of a bar: {did}
              </Key>
            )}
            <span>Heights are true to visits. Arrow keys walk, + opens a branch, − closes it, o opens it up, Enter shows what else.</span>
          </p>
        </>
      )}
    </div>
  );
}
