import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "@/api/client";
import { eventsQuery, type Asked } from "@/api/queries";
import { readText, useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Answer } from "@/ui/text";
import { Activity } from "@/views/read/Activity";
import { DimensionLedger } from "@/views/read/DimensionLedger";
import { LedgerView } from "@/views/read/LedgerView";
import { Chosen } from "@/views/shared/Chosen";
import { NamedValue } from "@/views/shared/NamedValue";
import { figure } from "@/words/format";

/** What people do: events with their properties, forms, promotions, media. */
export function Events() {
  return <LedgerView ledgers={() => []} lead={(asked) => <Leading asked={asked} />} more={() => <Activity />} />;
}

const NAMED = 3;
const USUAL = ["people", "times", "visits", "conversions", "conversion_rate"];

function Leading({ asked }: { asked: Asked }) {
  const { site } = useSite();
  const { period, segment, live } = useView();
  const events = useQuery(eventsQuery(site.key, { period, segment }, { live }));
  const keys = keysOf(events.data ?? []);
  const [wanted, setKey] = useShown("properties", "", readText);
  const key = keys.includes(wanted) ? wanted : "";
  return (
    <>
      {events.data ? <Said events={events.data} /> : <Answer aria-busy={events.isPending}> </Answer>}
      {keys.length > 0 && (
        <p className="text-ink-2">
          An event opens into{" "}
          <Chosen
            label="Properties"
            value={key}
            options={[{ value: "", label: "all its properties" }, ...keys.map((one) => ({ value: one, label: `its property ${one}` }))]}
            onChange={(to) => setKey(() => to)}
          />
          , then into pages.
        </p>
      )}
      <DimensionLedger
        key={key}
        asked={asked}
        spec={{
          title: "Events",
          what: "events",
          aside: "by those who did them",
          dimensions: ["event", key ? `prop.${key}` : "properties", "page"],
          usual: USUAL,
          lead: "people",
          isPart: true,
          few: 15,
          empty: "No event came in these days. What the site script tells by itself, and what is tagged, stands here.",
        }}
      />
    </>
  );
}

/** Keys of properties, those of the most events first. */
function keysOf(events: readonly { people: number; props: readonly { key: string }[] }[]): string[] {
  const people = new Map<string, number>();
  for (const one of events) for (const { key } of one.props) people.set(key, (people.get(key) ?? 0) + one.people);
  return [...people].sort(([a, of], [b, other]) => other - of || a.localeCompare(b)).map(([key]) => key);
}

/** Which events most people did, of those that say something about intent. */
function Said({ events }: { events: readonly Schemas["EventOut"][] }) {
  const named = events
    .filter((one) => one.kind === "event" && !one.passive && !one.hidden && one.people > 0)
    .sort((a, b) => b.people - a.people)
    .slice(0, NAMED);
  if (!named.length) return <Answer>Nobody did anything that is told, in these days.</Answer>;
  return (
    <Answer>
      Most people did{" "}
      {named.map(({ name, people }, place) => (
        <span key={name}>
          {place > 0 && (place === named.length - 1 ? " and " : ", ")}
          <NamedValue dimension="event" value={name} /> ({figure(people, "count")})
        </span>
      ))}
      .
    </Answer>
  );
}
