import { useInfiniteQuery } from "@tanstack/react-query";

import type { VisitRecord } from "@/api/client";
import { segmentOf } from "@/api/figures";
import { visitsQuery } from "@/app/queries";
import { Heads } from "@/pieces/Heads";
import { LedgerToCome } from "@/pieces/Ledger";
import { ErrorState } from "@/pieces/ErrorState";
import { VisitLink } from "@/pieces/VisitLink";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { amount, duration, figure, lastWord, moment, periodWords, plural, valueWords } from "@/words/format";

/** Single visits that started in the period and fit the segment, newest first. */
export function Visits() {
  const view = useView();
  const { site, period, goal, filters, live, trouble, again } = view;
  const visits = useInfiniteQuery(
    visitsQuery(site.key, { period, goal: goal?.id ?? null, segment: segmentOf(filters), with_excluded: false, limit: 50 }, { live }),
  );
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (visits.isError) return <ErrorState error={visits.error} again={() => void visits.refetch()} />;
  const pages = visits.data?.pages ?? [];
  const rows = pages.flatMap((page) => page.visits);
  const count = pages[0]?.count;
  return (
    <div className="visits">
      <h1 className="answer" aria-busy={visits.isPending}>
        {count === undefined ? " " : `${plural(count, "visit")}, ${periodWords(period)}, newest first.`}
      </h1>
      {visits.isPending && <LedgerToCome rows={14} />}
      {count === 0 && (
        <p className="empty">
          {filters.length
            ? "No visit in these days fits the segment. Take a chip off, or choose other days."
            : "No visits in these days. Choose others above."}
        </p>
      )}
      {rows.length > 0 && (
        <div className="ledger-box">
          <table className="hits">
            <Heads
              heads={[
                "Began",
                "From",
                "Landed on",
                { num: "Views" },
                { num: "Looked for" },
                "Device",
                "Country",
                goal && { num: lastWord(goal.name) },
              ]}
            />
            <tbody>
              {rows.map((visit) => (
                <Line key={`${visit.visitor} ${visit.number}`} visit={visit} withGoal={Boolean(goal)} />
              ))}
            </tbody>
          </table>
        </div>
      )}
      {visits.hasNextPage && (
        <Button disabled={visits.isFetchingNextPage} onClick={() => void visits.fetchNextPage()}>
          {visits.isFetchingNextPage ? "Reading …" : `Earlier visits (${figure((count ?? 0) - rows.length, "count")} more)`}
        </Button>
      )}
    </div>
  );
}

function Line({ visit, withGoal }: { visit: VisitRecord; withGoal: boolean }) {
  const { site } = useView();
  return (
    <tr>
      <td>
        <VisitLink visitor={visit.visitor} number={visit.number}>
          {moment(visit.start, site.timezone)}
        </VisitLink>
      </td>
      <td>
        {visit.channel}{" "}
        <span className="quiet">{[visit.source === "direct" ? "" : visit.source, visit.campaign].filter(Boolean).join(" / ")}</span>
      </td>
      <td>{valueWords("entry_page", visit.entry_page)}</td>
      <td className="num">{figure(visit.views, "count")}</td>
      <td className="num">{duration(visit.engaged)}</td>
      <td>{[visit.device, visit.browser].filter(Boolean).join(", ")}</td>
      <td>{visit.country && valueWords("country", visit.country)}</td>
      {withGoal && (
        <td className="num lead">
          {visit.conversions > 0 && figure(visit.conversions, "count")}
          {visit.value > 0 && <span className="quiet"> {amount(visit.value, site.currency)}</span>}
        </td>
      )}
    </tr>
  );
}
