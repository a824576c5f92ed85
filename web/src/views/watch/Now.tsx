import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect, useState } from "react";

import type { LiveUpdate, HitRecord } from "@/api/client";
import { followedQuery } from "@/app/queries";
import { usePageOfSite } from "@/app/usePageOfSite";
import { Details, Flags, Glyph, hitWords } from "@/pieces/HitWords";
import { Heads } from "@/pieces/Heads";
import { Cross } from "@/pieces/Marks";
import { VisitLink } from "@/pieces/VisitLink";
import type { ViewSearch } from "@/state/address";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { useArrivals, useClock } from "@/views/watch/useArrivals";
import { openAndFollow } from "@/words/following";
import { ago, figure, plural, valueWords } from "@/words/format";

/** Hits as they arrive, newest first, and who is on the site. */
export function Now() {
  const { site } = useView();
  const arrivals = useArrivals(site.key);
  const now = useClock(arrivals.skew);
  const { visitor } = useSearch({ strict: false }) as ViewSearch;
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
    <div className="now">
      <h1 className="answer" aria-live="polite">
        {arrivals.present ? presence(arrivals.present) : "Looking who is here …"}
      </h1>
      <section className="arrivals" aria-label="Hits as they arrive">
        <header>
          <Button aria-pressed={paused} onClick={toggle}>
            {paused ? "Go on" : "Pause"} <kbd>p</kbd>
          </Button>
          {visitor ? <Following visitor={visitor} /> : <FollowMine />}
          <p className="quiet" role="status">
            {arrivals.line === "broken"
              ? "The line is broken; it is tried again by itself."
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
      <p className="legend">
        <span>Everything is shown as it arrives: the period, the goal and the segment above do not narrow it.</span>
        <span>own, robot: shown here, left out of the reports</span>
      </p>
    </div>
  );
}

function emptyWords(line: string, visitor: string | undefined): string {
  if (line === "opening") return "Opening the line …";
  if (visitor) return "Nothing yet from this visitor among the newest hits. What they do next appears here.";
  return "No hit has arrived yet. Put the code on the site; the first visit appears here by itself.";
}

function presence({ five, thirty, pages }: LiveUpdate["present"]): string {
  if (thirty === 0) return "Nobody is here just now.";
  const here =
    five === 0 ? "Nobody is here just now" : five === 1 ? "One visitor is here now" : `${figure(five, "count")} visitors are here now`;
  const most = pages[0] && pages[0].visitors > 1 ? `, ${figure(pages[0].visitors, "count")} of them on ${pages[0].value}` : "";
  return `${here}, ${figure(thirty, "count")} in the last half hour${most}.`;
}

function Following({ visitor }: { visitor: string }) {
  const navigate = useNavigate();
  const stop = () =>
    void navigate({ to: ".", search: (kept: ViewSearch) => ({ ...kept, visitor: undefined }) } as Parameters<typeof navigate>[0]);
  return (
    <span className="chip">
      <span className="chip-text" title={visitor}>
        <i>Only</i> visitor {visitor.slice(0, 8)}
      </span>
      <Button kind="icon" aria-label="Stop following this visitor" onClick={stop}>
        <Cross />
      </Button>
    </span>
  );
}

/** Opens the site in another tab and follows whoever arrives by it. */
function FollowMine() {
  const { site } = useView();
  const navigate = useNavigate();
  const [address] = usePageOfSite(site);
  const begun = useMutation({ mutationFn: () => openAndFollow(site, address) });
  const token = begun.data?.token;
  const followed = useQuery({ ...followedQuery(site.key, token ?? ""), enabled: token !== undefined });
  const mine = followed.data?.visitor;
  useEffect(() => {
    if (mine) void navigate({ to: ".", search: (kept: ViewSearch) => ({ ...kept, visitor: mine }) } as Parameters<typeof navigate>[0]);
  }, [mine, navigate]);
  return (
    <>
      <Button
        title="Opens the site in another tab, and shows only what that tab does"
        disabled={begun.isPending}
        onClick={() => begun.mutate()}
      >
        Follow my browser
      </Button>
      {begun.isError && <span role="alert">{begun.error.message}</span>}
      {token && <span className="quiet">Waiting for your visit to arrive …</span>}
    </>
  );
}

function Hits({ hits, now, empty }: { hits: HitRecord[]; now: number; empty: string }) {
  const { site } = useView();
  if (!hits.length) return <p className="empty">{empty}</p>;
  return (
    <div className="ledger-box">
      <table className="hits">
        <colgroup>
          <col className="c-age" />
          <col />
          <col className="c-page" />
          <col className="c-from" />
          <col className="c-device" />
          <col className="c-country" />
          <col className="c-follow" />
        </colgroup>
        <Heads heads={["Age", "What", "Page", "From", "Device", "Country", { unseen: "Follow" }]} />
        <tbody>
          {hits.map((hit) => (
            <tr key={hit.seq} className={hit.kind}>
              <td className="age">{ago(now - hit.at)}</td>
              <td>
                <Glyph kind={hit.kind} />
                {hit.visit ? (
                  <VisitLink visitor={hit.visitor} number={hit.visit}>
                    {hitWords(hit, site.currency)}
                  </VisitLink>
                ) : (
                  hitWords(hit, site.currency)
                )}
                <Flags internal={hit.internal} robot={hit.robot} />
                <Details hit={hit} currency={site.currency} />
              </td>
              <td title={hit.url}>{hit.page}</td>
              <td>{[hit.source, hit.campaign].filter(Boolean).join(" / ")}</td>
              <td>{[hit.device, hit.browser].filter(Boolean).join(", ")}</td>
              <td>{hit.country && valueWords("country", hit.country)}</td>
              <td>
                <Link
                  className="link"
                  to="."
                  search={(kept) => ({ ...kept, visitor: hit.visitor })}
                  aria-label={`Follow visitor ${hit.visitor.slice(0, 8)}`}
                >
                  follow
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function WhereTheyAre({ present }: { present: LiveUpdate["present"] }) {
  const lists = [
    { title: "Where they are", rows: present.pages, none: "No page in the last half hour." },
    { title: "Where they came from", rows: present.sources, none: "Nobody in the last half hour." },
    { title: "What they did", rows: present.events, none: "No event in the last half hour." },
  ];
  return (
    <aside className="present" aria-label="Visitors of the last half hour">
      {lists.map(({ title, rows, none }) => (
        <section key={title}>
          <h2 className="title">{title}</h2>
          {rows.length === 0 && <p className="quiet">{none}</p>}
          <dl className="counts">
            {rows.map((row) => (
              <div key={row.value}>
                <dt title={row.value}>{row.value}</dt>
                <dd>{figure(row.visitors, "count")}</dd>
              </div>
            ))}
          </dl>
        </section>
      ))}
    </aside>
  );
}
