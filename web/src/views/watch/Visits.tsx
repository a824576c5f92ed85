import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useCallback } from "react";

import type { Site, StoredGoal, VisitRecord } from "@/api/client";
import { visitsFile } from "@/api/exports";
import { tableQuery, visitsQuery } from "@/api/queries";
import type { LedgerColumn } from "@/ledger/columns";
import { RowsMenu } from "@/ledger/FileMenu";
import { Grid } from "@/ledger/Grid";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { LongText } from "@/ledger/LongText";
import { useChosenColumns } from "@/ledger/useChosenColumns";
import { EmptyNote, ViewError } from "@/ui/states";
import { VisitLink } from "@/views/shared/VisitLink";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Answer } from "@/ui/text";
import { Button } from "@/ui/Button";
import { amount, duration, figure, lastWord, moment, periodWords, plural, valueWords } from "@/words/format";

/** Single visits that started in the period and fit the segment, newest first. */
export function Visits() {
  const { site, ready, trouble, again } = useSite();
  const { period, goal, segment, live } = useView();
  const { setPeriod } = useSteering();
  const asked = { period, goal: goal?.id ?? null, segment, with_excluded: false, limit: 200 };
  const visits = useInfiniteQuery({
    ...visitsQuery(site.key, asked, { live }),
    // Before it is known what the address may ask for, these would be the visits of everybody.
    enabled: ready,
  });
  const today = useQuery({
    ...tableQuery(
      site.key,
      { period: { first: site.today, last: site.today }, versus: "none", goal: null, segment, dimensions: [], measures: ["visits"] },
      { live: true },
    ),
    enabled: !live && ready,
  });
  const chosen = useChosenColumns("Visits", visitColumns(site, goal));
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = visits;
  const more = useCallback(() => {
    if (hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (visits.isError) return <ViewError error={visits.error} again={() => void visits.refetch()} />;
  const pages = visits.data?.pages ?? [];
  const rows = pages.flatMap((page) => page.visits);
  const count = pages[0]?.count;
  return (
    <div className="grid max-w-[1800px] gap-3">
      <Answer aria-busy={visits.isPending}>
        {count === undefined ? " " : `${plural(count, "visit")}, ${periodWords(period)}, newest first.`}
      </Answer>
      {visits.isPending && <LedgerSkeleton rows={14} />}
      {count === 0 && (
        <EmptyNote>
          {segment
            ? "No visit in these days fits the segment. Remove a filter, or choose other days."
            : "No visits in these days. Choose others above."}
        </EmptyNote>
      )}
      {rows.length > 0 && (
        <div className="min-w-0">
          <div className="mb-1.5 flex justify-end gap-3 text-label">
            <RowsMenu
              title={`Visits ${period.first} to ${period.last}`}
              columns={chosen.columns}
              rows={() => rows}
              all={{ words: `all ${count ?? rows.length} rows`, make: (format) => visitsFile(site.key, format, asked) }}
            />
            {chosen.choice}
          </div>
          <Grid
            name="Visits"
            columns={chosen.columns}
            rows={rows}
            rowId={(visit) => `${visit.visitor} ${visit.number}`}
            sort={{ by: "start", descending: true }}
            onSort={() => undefined}
            isSorted
            widths={chosen.widths}
            onWidths={chosen.onWidths}
            count={count ?? rows.length}
            onEnd={more}
          />
        </div>
      )}
      {!live && today.data && (today.data.total.values["visits"] ?? 0) > 0 && (
        <p>
          <Button kind="link" onClick={() => setPeriod({ first: site.today, last: site.today })}>
            {figure(today.data.total.values["visits"], "count")} more today
          </Button>
        </p>
      )}
    </div>
  );
}

function visitColumns(site: Site, goal: StoredGoal | undefined): LedgerColumn<VisitRecord>[] {
  const columns: LedgerColumn<VisitRecord>[] = [
    {
      id: "start",
      head: "Began",
      width: 156,
      hasControl: true,
      value: (visit) => moment(visit.start, site.timezone),
      cell: (visit, control) => (
        <VisitLink visitor={visit.visitor} number={visit.number} control={control}>
          {moment(visit.start, site.timezone)}
        </VisitLink>
      ),
    },
    {
      id: "from",
      head: "From",
      value: fromWords,
      cell: (visit) => (
        <span title={fromWords(visit)}>
          {visit.channel} <span className="text-ink-2">{tagWords(visit)}</span>
        </span>
      ),
    },
    {
      id: "page",
      head: "Landed on",
      width: 190,
      value: (visit) => valueWords("entry_page", visit.entry_page),
      cell: (visit) => <LongText text={valueWords("entry_page", visit.entry_page)} />,
    },
    { id: "views", head: "Views", width: 58, isNumber: true, value: (visit) => visit.views, cell: (visit) => figure(visit.views, "count") },
    {
      id: "engaged",
      head: "Time engaged",
      width: 108,
      isNumber: true,
      value: (visit) => visit.engaged / 1000,
      cell: (visit) => duration(visit.engaged),
    },
    { id: "device", head: "Device", width: 150, value: (visit) => [visit.device, visit.browser].filter(Boolean).join(", ") },
    { id: "country", head: "Country", width: 120, value: (visit) => (visit.country ? valueWords("country", visit.country) : "") },
  ];
  if (goal)
    columns.push({
      id: "conversions",
      head: lastWord(goal.name),
      width: 110,
      isNumber: true,
      isLead: true,
      value: (visit) => visit.conversions,
      cell: (visit) => (
        <>
          {visit.conversions > 0 && figure(visit.conversions, "count")}
          {visit.value > 0 && <span className="font-normal text-ink-2"> {amount(visit.value, site.currency)}</span>}
        </>
      ),
    });
  return columns.map((column) => ({ ...column, isSortable: false }));
}

const tagWords = (visit: VisitRecord): string =>
  [visit.source === "direct" ? "" : visit.source, visit.campaign].filter(Boolean).join(" / ");
const fromWords = (visit: VisitRecord): string => `${visit.channel} ${tagWords(visit)}`.trim();
