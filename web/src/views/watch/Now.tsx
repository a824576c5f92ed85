import { EmptyNote } from "@/ui/states";
import { useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useEffect, useMemo, useState } from "react";

import type { LiveUpdate, HitRecord } from "@/api/client";
import { followedQuery } from "@/api/queries";
import { usePageOfSite } from "@/api/usePageOfSite";
import { Details, Flags, Glyph, hitWords } from "@/views/shared/HitWords";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { VisitLink } from "@/views/shared/VisitLink";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Answer, Title } from "@/ui/text";
import { Button } from "@/ui/Button";
import { Chip } from "@/ui/Chip";
import { useArrivals, useClock } from "@/views/watch/useArrivals";
import { openAndFollow } from "@/words/following";
import { ago, figure, plural, valueWords } from "@/words/format";
import { withStays, type ListedHit } from "@/words/stays";

/** Hits as they arrive, newest first, and who is on the site. */
export function Now() {
  const { site } = useSite();
  const { visitor } = useView();
  const arrivals = useArrivals(site.key);
  const now = useClock(arrivals.skew);
  const [kept, setKept] = useState<HitRecord[] | null>(null);
  const paused = kept !== null;
  const toggle = () => setKept(paused ? null : arrivals.hits);
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if (event.key !== "p" || event.ctrlKey || event.metaKey || (event.target as HTMLElement).matches("input, select, textarea")) return;
      setKept((value) => (value === null ? arrivals.hits : null));
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, [arrivals.hits]);

  const all = kept ?? arrivals.hits;
  const shown = visitor ? all.filter((hit) => hit.visitor === visitor) : all;
  const since = paused ? arrivals.hits.filter((hit) => hit.seq > (kept[0]?.seq ?? -1)).length : 0;
  return (
    <div className="grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-x-7 gap-y-2 min-[900px]:grid-cols-[minmax(0,1fr)_236px]">
      <Answer aria-live="polite">{arrivals.present ? presence(arrivals.present) : "Loading who is here …"}</Answer>
      <section className="min-w-0" aria-label="Hits as they arrive">
        <header className="flex min-h-10 flex-wrap items-center gap-x-3.5 gap-y-1">
          <Button aria-pressed={paused} onClick={toggle}>
            {paused ? "Resume" : "Pause"} <kbd>p</kbd>
          </Button>
          {visitor ? <Following visitor={visitor} /> : <FollowMine />}
          <p className="text-ink-2" role="status">
            {arrivals.line === "broken"
              ? "The connection is lost; it is tried again automatically."
              : paused
                ? `Paused. ${plural(since, "hit")} since.`
                : arrivals.leftOut > 0
                  ? `${plural(arrivals.leftOut, "hit")} more came than can be shown.`
                  : ""}
          </p>
        </header>
        <Hits hits={shown} now={now} empty={emptyWords(arrivals.line, visitor)} />
      </section>
      {arrivals.present && <WhereTheyAre present={arrivals.present} />}
      <p className="col-span-full mt-2 flex flex-wrap gap-x-[26px] gap-y-0.5 text-small text-ink-2">
        <span>Everything is shown as it arrives: the period, the goal and the segment above do not narrow it.</span>
        <span>own, robot: shown here, left out of the reports</span>
      </p>
    </div>
  );
}

function emptyWords(line: string, visitor: string | undefined): string {
  if (line === "opening") return "Connecting …";
  if (visitor) return "Nothing yet from this visitor among the newest hits. What they do next appears here.";
  return "No hit has arrived yet. Put the code on the site; the first visit appears here as it arrives.";
}

function presence({ five, thirty, pages }: LiveUpdate["present"]): string {
  if (thirty === 0) return "Nobody is here just now.";
  const here =
    five === 0 ? "Nobody is here just now" : five === 1 ? "One visitor is here now" : `${figure(five, "count")} visitors are here now`;
  const most = pages[0] && pages[0].visitors > 1 ? `, ${figure(pages[0].visitors, "count")} of them on ${pages[0].value}` : "";
  return `${here}, ${figure(thirty, "count")} in the last half hour${most}.`;
}

function Following({ visitor }: { visitor: string }) {
  const { follow } = useSteering();
  return (
    <Chip title={visitor} away="Stop following this visitor" onAway={() => follow(undefined)}>
      <span className="mr-px font-normal">Only</span> visitor {visitor.slice(0, 8)}
    </Chip>
  );
}

/** Opens the site in another tab and follows whoever arrives by it. */
function FollowMine() {
  const { site } = useSite();
  const { follow } = useSteering();
  const [address] = usePageOfSite(site);
  const begun = useMutation({ mutationFn: () => openAndFollow(site, address) });
  const token = begun.data?.token;
  const followed = useQuery({ ...followedQuery(site.key, token ?? ""), enabled: token !== undefined });
  const mine = followed.data?.visitor;
  useEffect(() => {
    if (mine) follow(mine);
  }, [mine, follow]);
  return (
    <>
      <Button
        title="Opens the site in another tab, and shows only what that tab does"
        disabled={begun.isPending}
        onClick={() => begun.mutate()}
      >
        Follow my browser
      </Button>
      {begun.isError && <span role="alert">{begun.error.detail}</span>}
      {token && <span className="text-ink-2">Waiting for your visit to arrive …</span>}
    </>
  );
}

function Hits({ hits, now, empty }: { hits: HitRecord[]; now: number; empty: string }) {
  const { site } = useSite();
  const rows = useMemo(() => withStays([...hits].reverse()).reverse(), [hits]);
  if (!hits.length) return <EmptyNote>{empty}</EmptyNote>;
  const what = ({ hit }: ListedHit) => hitWords(hit, site.currency);
  const plain = { isSortable: false };
  return (
    <List
      name="Hits"
      what="a hit"
      rows={rows}
      rowId={({ hit }) => String(hit.seq)}
      sort={{ by: "age", descending: true }}
      columns={[
        { id: "age", head: "Age", width: 64, isQuiet: true, ...plain, value: ({ hit }) => hit.seq, cell: ({ hit }) => ago(now - hit.at) },
        {
          id: "what",
          head: "What",
          ...plain,
          hasControl: true,
          value: (row) => [what(row), ...Object.entries({ ...row.hit.props, ...row.hit.fields }).flat()].join(" "),
          cell: (row, control) => (
            <span className="block truncate">
              <Glyph kind={row.hit.kind} />
              {row.hit.visit ? (
                <VisitLink visitor={row.hit.visitor} number={row.hit.visit} control={control}>
                  {what(row)}
                </VisitLink>
              ) : (
                <span {...control}>{what(row)}</span>
              )}
              <Flags internal={row.hit.internal} robot={row.hit.robot} />
              <Details hit={row.hit} stayed={row.stayed} currency={site.currency} className="ml-2.5" />
            </span>
          ),
        },
        { id: "page", head: "Page", width: 150, ...plain, value: ({ hit }) => hit.page, cell: ({ hit }) => <LongText text={hit.page} /> },
        { id: "from", head: "From", width: 130, ...plain, value: ({ hit }) => [hit.source, hit.campaign].filter(Boolean).join(" / ") },
        { id: "device", head: "Device", width: 120, ...plain, value: ({ hit }) => [hit.device, hit.browser].filter(Boolean).join(", ") },
        { id: "country", head: "Country", width: 90, ...plain, value: ({ hit }) => hit.country && valueWords("country", hit.country) },
        {
          id: "follow",
          head: "Follow the visitor",
          isHeadUnseen: true,
          width: 60,
          ...plain,
          hasControl: true,
          value: () => null,
          cell: ({ hit }, control) => (
            <Link
              className="text-teal underline decoration-sea-2 decoration-1 underline-offset-3"
              to="."
              search={(kept) => ({ ...kept, visitor: hit.visitor })}
              aria-label={`Follow visitor ${hit.visitor.slice(0, 8)}`}
              {...control}
            >
              follow
            </Link>
          ),
        },
      ]}
    />
  );
}

function WhereTheyAre({ present }: { present: LiveUpdate["present"] }) {
  const { site } = useSite();
  // Of the last half hour no view keeps count: behind a number stand the visits of today that have the value.
  const today = { from: site.today, to: site.today };
  const lists = [
    { title: "Where they are", of: "page", rows: present.pages, none: "No page in the last half hour." },
    { title: "Where they came from", of: "source", rows: present.sources, none: "Nobody in the last half hour." },
    { title: "What they did", of: "event", rows: present.events, none: "No event in the last half hour." },
  ];
  return (
    <aside className="grid grid-cols-[minmax(0,1fr)] content-start gap-4" aria-label="Visitors of the last half hour">
      {lists.map(({ title, of, rows, none }) => (
        <section key={title} className="min-w-0">
          <Title>{title}</Title>
          {rows.length === 0 && <p className="text-ink-2">{none}</p>}
          <dl>
            {rows.map((row) => (
              <div key={row.value} className="flex justify-between gap-3 border-b border-hairline py-0.5">
                <dt title={row.value} className="min-w-0 truncate">
                  {row.value}
                </dt>
                <dd>
                  <OpenedCell
                    row={row.value}
                    text={figure(row.visitors, "count")}
                    opened={{
                      measure: "visitors",
                      title: "Visitors",
                      of: [{ dimension: of, value: row.value }],
                      present: row.visitors,
                      under: today,
                    }}
                  />
                </dd>
              </div>
            ))}
          </dl>
        </section>
      ))}
    </aside>
  );
}
