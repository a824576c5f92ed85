import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";

import type { SiteEvent } from "@/api/client";
import { segmentOf } from "@/api/figures";
import { eventsQuery } from "@/app/queries";
import { Heads } from "@/pieces/Heads";
import { LedgerToCome } from "@/pieces/Ledger";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { EventDetails } from "@/views/tag/EventDetails";
import { Snippets } from "@/views/tag/Snippets";
import { ago, figure, periodWords, plural, symbol } from "@/words/format";

/** Every event as soon as it first arrived, and code for the next one. */
export function Events() {
  const { site, period, filters, live, ready, trouble, again } = useView();
  const events = useQuery({ ...eventsQuery(site.key, { period, segment: segmentOf(filters) }, { live }), enabled: ready });
  const [hidden, setHidden] = useState(false);
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (events.isError) return <ErrorState error={events.error} again={() => void events.refetch()} />;
  const all = events.data ?? [];
  const away = all.filter((one) => one.hidden).length;
  const shown = all.filter((one) => hidden || !one.hidden);
  return (
    <div className="tag sides">
      <h1 className="answer" aria-busy={events.isPending}>
        {events.data ? message(all, periodWords(period)) : " "}
      </h1>
      <section aria-label="Events">
        {events.isPending && <LedgerToCome />}
        {events.data && all.length === 0 && (
          <p className="empty">No event has arrived yet. Name the first one with the code beside; it stands here as soon as it comes.</p>
        )}
        {shown.length > 0 && <EventList events={shown} />}
        {away > 0 && (
          <Button onClick={() => setHidden(!hidden)}>{hidden ? "Without the hidden ones" : `And ${plural(away, "hidden event")}`}</Button>
        )}
      </section>
      <Snippets events={all} />
    </div>
  );
}

function message(events: SiteEvent[], when: string): string {
  const done = events.filter((one) => one.times > 0 && !one.hidden);
  // What the script tells of every visit says little; what somebody named is what they want to know of.
  const [first] = done.filter((one) => !one.passive && !one.by_itself).sort((a, b) => b.people - a.people);
  if (!done.length) return `No event came from ${when}.`;
  return `${plural(done.length, "event")}, ${when}` + (first ? `; of those that you named, most people did ${first.name}.` : ".");
}

const traits = (event: SiteEvent): string =>
  [event.by_itself && "by itself", event.passive && "passive", event.hidden && "hidden"].filter(Boolean).join(", ");

function EventList({ events }: { events: SiteEvent[] }) {
  const { site } = useView();
  const [open, setOpen] = useState<string | null>(null);
  const [now] = useState(() => Date.now());
  return (
    <div className="ledger-box">
      <table className="hits events">
        <Heads
          heads={["Event", { num: "People" }, { num: "Times" }, { num: `Value, ${symbol(site.currency)}` }, { num: "Last seen, ago" }]}
        />
        <tbody>
          {events.map((event) => (
            <Fragment key={event.name}>
              <tr>
                <td>
                  <button
                    type="button"
                    className="opener"
                    aria-expanded={open === event.name}
                    onClick={() => setOpen(open === event.name ? null : event.name)}
                  >
                    {event.name}
                  </button>
                  <span className="quiet"> {traits(event)}</span>
                  {event.description && <span className="quiet"> {event.description}</span>}
                </td>
                <td className="num lead">{figure(event.people, "count")}</td>
                <td className="num">{figure(event.times, "count")}</td>
                <td className="num">{event.value === 0 ? "" : figure(event.value, "money")}</td>
                <td className="num">{event.last === null ? "" : ago(now - event.last)}</td>
              </tr>
              {open === event.name && (
                <tr className="inside">
                  <td colSpan={5}>
                    <EventDetails key={event.name} event={event} />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </table>
    </div>
  );
}
