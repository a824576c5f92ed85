import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";

import { api, type Schemas } from "@/api/client";
import { rowsFile } from "@/api/exports";
import { tableByRow } from "@/api/figures";
import { FIRST, idAt, LAST, readCredit, requested, USUAL } from "@/views/explain/attribution/columns";
import { AddColumn, CreditTable } from "@/views/explain/attribution/CreditTable";
import { Sequences } from "@/views/explain/attribution/Sequences";
import { readCell, type OpenedCell } from "@/views/explain/attribution/openedCell";
import { OpenedCredit } from "@/views/explain/attribution/OpenedCredit";
import { Chosen } from "@/views/shared/Chosen";
import { useOpened } from "@/views/shared/useOpened";
import { NamedValue } from "@/views/shared/NamedValue";
import { FileMenu } from "@/ledger/FileMenu";
import { OfAGoal } from "@/views/explain/OfAGoal";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import type { ViewSearch } from "@/state/address";
import { useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { EmptyNote, ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { endsSaid, modelLabel, MODELS, type Ends } from "@/words/attribution";
import { figure, lastWord, valueWords, versusWords, within } from "@/words/format";

/** Which channels and pages conversions are owed to, by several ways of sharing them out. */
export function Attribution() {
  return (
    <OfAGoal then="it is owed to">
      <Credit />
    </OfAGoal>
  );
}

const MAX_ROWS = 100;
const DIRECT = [
  { value: "passed", label: "are passed over unless there is nothing else" },
  { value: "count", label: "count as others do" },
];

function Credit() {
  const { site, registry, segments } = useSite();
  const { period, versus, segment, goal, live } = useView();
  const search = useSearch({ from: "/s/$site" });
  const navigate = useNavigate();
  const [shown, set] = useShown("credit", USUAL, readCredit);
  const [opened, open, drawer] = useOpened("opened credit", readCell);
  const dimensions = registry?.dimensions ?? [];
  const by = dimensions.find((one) => one.name === search.by)?.name ?? "channel";
  const into =
    dimensions.some((one) => one.name === shown.into) && shown.into !== by ? shown.into : by === "campaign" ? "source" : "campaign";
  const request: Schemas["TableRequest"] = {
    period,
    versus,
    goal: goal?.id ?? null,
    segment,
    dimensions: [by],
    columns: requested(shown, (id) => segments.some((one) => one.id === id)),
    sort: idAt(shown.sort),
    descending: true,
    parents: [],
    where: [],
    offset: 0,
    limit: MAX_ROWS,
    with_excluded: false,
  };
  const isUnsaid = shown.columns.some((one) => one.product === "");
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/table",
      { params: { path: { site: site.key } }, body: request },
      { select: tableByRow, placeholderData: keepPreviousData, enabled: !isUnsaid, refetchInterval: live ? 4_000 : false },
    ),
  );
  if (asked.isError) return <ViewError error={asked.error} again={() => void asked.refetch()} />;
  const table = asked.data?.dimensions[0] === by ? asked.data : undefined;
  const did = goal ? within(lastWord(goal.name)) : "conversions";
  const options = dimensions.map((one) => ({ value: one.name, label: within(one.title) }));
  const ends = (table?.rows ?? []).map((row): Ends => ({
    value: row.keys[0] ?? "",
    first: row.values[FIRST] ?? 0,
    last: row.values[LAST] ?? 0,
  }));
  const title = `Credit by ${by}`;
  return (
    <div className="held grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-3" aria-busy={asked.isPlaceholderData}>
      {table ? <CreditAnswer ends={ends} by={by} did={did} whole={table.total.values[FIRST] ?? 0} /> : <Answer> </Answer>}
      <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
        <p className="min-w-0 wrap-anywhere text-ink-2">
          Share out {did} between{" "}
          <Chosen
            label="Between"
            value={by}
            options={options}
            onChange={(to) => {
              set((was) => ({ ...was, open: [] }));
              void navigate({ to: ".", search: (now: ViewSearch) => ({ ...now, by: to === "channel" ? undefined : to }) });
            }}
          />
          , opened into{" "}
          <Chosen
            label="Opened into"
            value={into}
            options={options.filter((one) => one.value !== by)}
            onChange={(to) => set((was) => ({ ...was, into: to }))}
          />
          . Direct visits{" "}
          <Chosen
            label="Direct visits"
            value={shown.countsDirect ? "count" : "passed"}
            options={DIRECT}
            onChange={(to) => set((was) => ({ ...was, countsDirect: to === "count" }))}
          />
          . Credit is told as{" "}
          <Chosen
            label="Told as"
            value={shown.asShares ? "share" : "number"}
            options={[
              { value: "number", label: "a number" },
              { value: "share", label: "a share of its column" },
            ]}
            onChange={(to) => set((was) => ({ ...was, asShares: to === "share" }))}
          />
          , shares stand{" "}
          <Chosen
            label="Intervals"
            value={shown.withIntervals ? "with" : "alone"}
            options={[
              { value: "alone", label: "alone" },
              { value: "with", label: "with their 95 % intervals" },
            ]}
            onChange={(to) => set((was) => ({ ...was, withIntervals: to === "with" }))}
          />
          .
        </p>
        <span className="flex gap-3.5 text-label">
          <AddColumn shown={shown} set={set} models={MODELS.map((one) => one.model)} />
          {table && (
            <FileMenu
              title={title}
              choices={[
                {
                  words: "these rows",
                  make: (format) =>
                    rowsFile(site.key, format, {
                      title,
                      columns: [
                        by,
                        ...shown.columns.map((one, place) => `${place + 1}: ${modelLabel(one.model)}, ${one.measure}, reach ${one.reach}`),
                      ],
                      rows: table.rows.map((row) => [
                        row.keys[0] ?? "",
                        ...shown.columns.map((_, place) => row.values[idAt(place)] ?? null),
                      ]),
                    }),
                },
              ]}
            />
          )}
        </span>
      </div>
      {!table && <LedgerSkeleton rows={12} />}
      {table && (
        <CreditTable
          shown={{ ...shown, into }}
          set={set}
          request={request}
          rows={table.rows}
          total={table.total}
          onOpen={(place, path, figures) => open({ place, path: [...path], ...figures })}
        />
      )}
      {opened && table && request.columns[opened.place] && opened.place < shown.columns.length && (
        <OpenedCredit
          {...openedBy(request.columns[opened.place] as Schemas["Column"], opened, shown.below)}
          path={opened.path}
          by={by}
          credit={opened.credit}
          {...(opened.removal ? { removal: opened.removal } : {})}
          {...(opened.interval ? { interval: opened.interval } : {})}
          of={table.total.values[idAt(opened.place)] ?? 0}
          against={opened.against ?? null}
          heldAgainst={
            opened.place > 0 ? `by ${modelLabel(shown.columns[0]?.model ?? "linear").toLowerCase()}` : `in ${versusWords(period, versus)}`
          }
          {...drawer}
        />
      )}
      {table?.rows.length === 0 && (
        <EmptyNote>There were no conversions in these days. Choose other days, or another goal to steer by.</EmptyNote>
      )}
      {table && table.count > table.rows.length && (
        <p className="text-label text-ink-2">
          The {table.rows.length} largest of {figure(table.count, "count")}.
        </p>
      )}
      {table && request.columns[0] && !isUnsaid && <Sequences column={request.columns[0]} dimension={by} did={did} />}
      {shown.columns.some((one) => one.model === "removal effect") && (
        <p className="text-label text-ink-2">
          By the removal effect a value has credit as far as conversions would be missing, if it were missing from all ways, also those that
          led to none; <b>few</b> says that it rests on fewer than thirty touches.
        </p>
      )}
      {shown.columns.some((one) => one.model === "every touch") && (
        <p className="text-label text-ink-2">
          By every touch the rows add up to more than there were: each value that was touched has the whole.
        </p>
      )}
    </div>
  );
}

/** A row below one with another model is credited by that. */
function openedBy(column: Schemas["Column"], { path }: OpenedCell, below: Record<string, string>) {
  const model = path.length > 1 ? MODELS.find((one) => one.value === below[path[0]?.value ?? ""])?.model : undefined;
  return { column: model ? { ...column, model } : column, isShared: model !== undefined };
}

/** Which value closes what others begin, and which begins what others close. */
function CreditAnswer({ ends, by, did, whole }: { ends: readonly Ends[]; by: string; did: string; whole: number }) {
  const { closes, begins } = endsSaid(ends);
  if (whole === 0) return <Answer>No {did} in these days.</Answer>;
  const named = (one: Ends) => <NamedValue dimension={by} value={one.value} words={valueWords(by, one.value)} />;
  const said = (count: number) => figure(count, "count");
  if (!closes && !begins)
    return (
      <Answer>
        First and last touch agree about {said(whole)} {did}: nothing begins or closes much more than the other.
      </Answer>
    );
  return (
    <Answer>
      {closes && (
        <>
          {named(closes)} closes what others begin: {closes.first < 0.5 ? "no" : said(closes.first)} {did} by first touch,{" "}
          {said(closes.last)} by last.{" "}
        </>
      )}
      {begins && (
        <>
          {named(begins)} begins {said(begins.first)} and closes {begins.last < 0.5 ? "none" : said(begins.last)}.
        </>
      )}
    </Answer>
  );
}
