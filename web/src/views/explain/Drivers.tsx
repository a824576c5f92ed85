import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api } from "@/api/client";
import { ChannelDrivers } from "@/views/explain/drivers/ChannelDrivers";
import { PageDrivers } from "@/views/explain/drivers/PageDrivers";
import { NamedValue } from "@/views/shared/NamedValue";
import { OfAGoal } from "@/views/explain/OfAGoal";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { EmptyNote, ViewError } from "@/ui/states";
import { Answer, Title } from "@/ui/text";
import { channelSaid, channelsOf, pageSaid, type ChannelDriver, type PageDriver } from "@/words/drivers";
import { figure, lastWord, periodWords, plural, valueWords, within } from "@/words/format";
import { segmentWords } from "@/words/segments";

/** What drives the goal, on one sheet: channels, and pages against visits that did not see them. */
export function Drivers() {
  return (
    <OfAGoal then="drive it">
      <Sheet />
    </OfAGoal>
  );
}

function Sheet() {
  const { site, registry, segments } = useSite();
  const { period, segment, goal, live } = useView();
  const body = { period, segment, goal: goal?.id ?? null, channels: 20, pages: 30 };
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/drivers",
      { params: { path: { site: site.key } }, body },
      { placeholderData: keepPreviousData, refetchInterval: live ? 4_000 : false },
    ),
  );
  if (asked.isError) return <ViewError error={asked.error} again={() => void asked.refetch()} />;
  const found = asked.data;
  if (!found || !goal)
    return (
      <div className="grid gap-3">
        <Answer> </Answer>
        <LedgerSkeleton rows={12} />
      </div>
    );
  const did = within(lastWord(goal.name));
  const channels = channelsOf(found.channels);
  const total = found.channels.total.find((one) => one.id === "conversions")?.values[0] ?? 0;
  const rateOfAll = found.visits ? found.converting / found.visits : null;
  return (
    <div className="held grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-3" aria-busy={asked.isPlaceholderData}>
      {/* What the frame says on the screen stands on the paper too. */}
      <p className="hidden text-label text-ink-2 print:block">
        {site.name} · {goal.name} · {periodWords(period)}
        {segment && ` · ${segmentWords(segment, { registry, segments })}`}
      </p>
      <DriversAnswer {...{ channels, total, rateOfAll, did }} pages={found.pages} converting={found.converting} />
      <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
        <p className="text-ink-2">
          {figure(total, "count")} {did} in {plural(found.converting, "visit")} of {figure(found.visits, "count")}. Credit is looked for
          over 30 days.
        </p>
        <Button kind="link" className="text-label print:hidden" onClick={() => window.print()}>
          Print
        </Button>
      </div>
      {total === 0 ? (
        <EmptyNote>There were no conversions in these days. Choose other days, or another goal to steer by.</EmptyNote>
      ) : (
        <>
          <section aria-label="Channels" className="grid min-w-0 gap-1">
            <Title>
              Channels{" "}
              <span className="font-sans text-label font-normal text-ink-2">
                credit by first touch, shared out evenly, and by last touch
              </span>
            </Title>
            <ChannelDrivers channels={channels} table={found.channels} did={lastWord(goal.name)} />
          </section>
          <section aria-label="Pages" className="grid min-w-0 gap-1">
            <Title>
              Pages{" "}
              <span className="font-sans text-label font-normal text-ink-2">
                seen before converting, against visits of the same channels that did not see them
              </span>
            </Title>
            <PageDrivers pages={found.pages} converting={found.converting} of={found.channels} goal={goal} />
            {found.page_count > found.pages.length && (
              <p className="text-label text-ink-2">
                The {found.pages.length} that most who converted saw, of {figure(found.page_count, "count")}.
              </p>
            )}
          </section>
          <p className="max-w-[900px] text-label text-ink-2">
            ● those who saw it, ○ those of the same channels who did not; the whisker is the 95 % interval of the gap, drawn from the ring.
            Who means to convert looks at more pages: a gap says where to look, and a test says what is the cause.
          </p>
        </>
      )}
    </div>
  );
}

interface AnswerProps {
  channels: readonly ChannelDriver[];
  pages: readonly PageDriver[];
  total: number;
  converting: number;
  rateOfAll: number | null;
  did: string;
}

/** To which channel most is owed, whose visits convert most, and which page goes with more conversions. */
function DriversAnswer({ channels, pages, total, converting, rateOfAll, did }: AnswerProps) {
  const said = channelSaid(channels, total, rateOfAll);
  if (!said) return <Answer>No {did} in these days.</Answer>;
  const page = pageSaid(pages, converting);
  const { most, share, best } = said;
  const percent = (of: number | null | undefined) => `${figure(of, "percent")} %`;
  return (
    <Answer>
      {share} of the {did} are owed to <NamedValue dimension="channel" value={most.channel} words={valueWords("channel", most.channel)} />
      {best &&
        best.channel === most.channel &&
        `, whose visits also convert most, ${percent(best.rate)} against ${percent(rateOfAll)} of all`}
      {best && best.channel !== most.channel && (
        <>
          ; visits by <NamedValue dimension="channel" value={best.channel} words={valueWords("channel", best.channel)} /> convert most,{" "}
          {percent(best.rate)} against {percent(rateOfAll)} of all
        </>
      )}
      .{" "}
      {page ? (
        <>
          Who saw <NamedValue dimension="page" value={page.page} words={page.page} /> converted at {percent(page.rate)}, others of the same
          channels at {percent(page.without)}.
        </>
      ) : (
        "No page stands out beyond chance."
      )}
    </Answer>
  );
}
