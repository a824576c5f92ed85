import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { Part, Sides } from "@/ui/layout";
import type { SiteEvent } from "@/api/client";
import { eventsQuery } from "@/api/queries";
import { partOfOne } from "@/api/figures";
import type { LedgerColumn } from "@/ledger/columns";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { EmptyNote, ViewError } from "@/ui/states";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Answer } from "@/ui/text";
import { Button } from "@/ui/Button";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { EventDetails } from "@/views/tag/EventDetails";
import { Snippets } from "@/views/tag/Snippets";
import { PLAIN_MATCH } from "@/words/segments";
import { ago, figure, periodWords, plural, symbol } from "@/words/format";

/** Every event as soon as it first arrived, and code for the next one. */
export function Events() {
  const { site, ready, trouble, again } = useSite();
  const { period, segment, live } = useView();
  const events = useQuery({ ...eventsQuery(site.key, { period, segment }, { live }), enabled: ready });
  const [hidden, setHidden] = useState(false);
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (events.isError) return <ViewError error={events.error} again={() => void events.refetch()} />;
  const all = events.data ?? [];
  const away = all.filter((one) => one.hidden).length;
  const shown = all.filter((one) => hidden || !one.hidden);
  return (
    <Sides>
      <Answer aria-busy={events.isPending}>{events.data ? message(all, periodWords(period)) : " "}</Answer>
      <Part isWide aria-label="Events">
        {events.isPending && <LedgerSkeleton />}
        {events.data && all.length === 0 && (
          <EmptyNote>No event has arrived yet. Name the first one with the code beside; it stands here as soon as it comes.</EmptyNote>
        )}
        {shown.length > 0 && <EventList events={shown} />}
        {away > 0 && (
          <Button onClick={() => setHidden(!hidden)}>{hidden ? "Without the hidden ones" : `And ${plural(away, "hidden event")}`}</Button>
        )}
      </Part>
      <Snippets events={all.filter((one) => one.kind === "event")} />
    </Sides>
  );
}

function message(events: SiteEvent[], when: string): string {
  const done = events.filter((one) => one.kind === "event" && one.times > 0 && !one.hidden);
  // What the script tells of every visit says little; what somebody named is what they want to know of.
  const [first] = done.filter((one) => !one.passive && !one.by_itself).sort((a, b) => b.people - a.people);
  if (!done.length) return `No event came from ${when}.`;
  return `${plural(done.length, "event")}, ${when}` + (first ? `; of those that you named, most people did ${first.name}.` : ".");
}

/** All who ordered. */
const ORDERED = partOfOne({ kind: "did", match: { ...PLAIN_MATCH, kind: "order" }, test: "at least", times: 1 });
const AS_EVENT = {
  people: { measure: "people", title: "People" },
  times: { measure: "times", title: "Times" },
  value: { measure: "event_value", title: "Event value" },
};
const AS_ORDER = {
  people: { measure: "visitors", title: "People" },
  times: { measure: "orders", title: "Orders" },
  value: { measure: "revenue", title: "Revenue" },
};

/** A figure of an event as it opens up: its row in the reports; what is hidden has none there. */
function opened(event: SiteEvent, of: "people" | "times" | "value") {
  const text = of === "value" && !event.value ? "" : figure(event[of], of === "value" ? "money" : "count");
  if (event.kind === "order") return { row: "Orders", text, opened: { ...AS_ORDER[of], part: ORDERED } };
  return { row: event.name, text, opened: event.hidden ? null : { ...AS_EVENT[of], of: [{ dimension: "event", value: event.name }] } };
}

const traits = (event: SiteEvent): string =>
  [event.by_itself && "automatic", event.passive && "passive", event.hidden && "hidden"].filter(Boolean).join(", ");

function EventList({ events }: { events: SiteEvent[] }) {
  const { site } = useSite();
  const [open, setOpen] = useState<string | null>(null);
  const [now] = useState(() => Date.now());
  const columns: LedgerColumn<SiteEvent>[] = [
    {
      id: "event",
      head: "Event",
      hasControl: true,
      value: (event) => (event.kind === "order" ? "Orders" : event.name),
      cell: (event, control) =>
        event.kind === "order" ? (
          <span {...control}>
            Orders <span className="text-ink-2">by uc.order or on import</span>
          </span>
        ) : (
          <>
            <button
              type="button"
              className="font-medium text-teal decoration-1 underline-offset-3 hover:underline"
              aria-expanded={open === event.name}
              onClick={() => setOpen(open === event.name ? null : event.name)}
              {...control}
            >
              {event.name}
            </button>
            <span className="text-ink-2"> {traits(event)}</span>
            {event.description && <span className="text-ink-2"> {event.description}</span>}
          </>
        ),
    },
    {
      id: "people",
      head: "People",
      width: 84,
      isNumber: true,
      isLead: true,
      hasControl: true,
      value: (event) => event.people,
      cell: (event, control) => <OpenedCell {...opened(event, "people")} control={control} />,
    },
    {
      id: "times",
      head: "Times",
      width: 84,
      isNumber: true,
      hasControl: true,
      value: (event) => event.times,
      cell: (event, control) => <OpenedCell {...opened(event, "times")} control={control} />,
    },
    {
      id: "value",
      head: "Value",
      unit: `, ${symbol(site.currency)}`,
      width: 96,
      isNumber: true,
      value: (event) => event.value || null,
      hasControl: true,
      cell: (event, control) => <OpenedCell {...opened(event, "value")} control={control} />,
    },
    {
      id: "last",
      head: "Last seen, ago",
      width: 116,
      isNumber: true,
      value: (event) => event.last,
      cell: (event) => (event.last === null ? "" : ago(now - event.last)),
    },
  ];
  return (
    <List
      name="Events"
      what="an event"
      columns={columns}
      rows={events}
      rowId={(event) => `${event.kind} ${event.name}`}
      sort={{ by: "people", descending: true }}
      details={(event) =>
        event.kind === "event" &&
        open === event.name && <EventDetails key={event.name} event={event} names={events.map((one) => one.name)} />
      }
    />
  );
}
