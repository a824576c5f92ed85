import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { Command } from "cmdk";
import { useState, type ReactNode } from "react";

import { eventsQuery, linksQuery } from "@/api/queries";
import { STAGES } from "@/app/stages";
import { elsewhere } from "@/state/address";
import { HOME, type ViewPath } from "@/state/paths";
import { useLeave } from "@/forms/leaving";
import { fewOf } from "@/app/frame/fewOf";
import { useHere } from "@/app/frame/useHere";
import { useValues } from "@/views/shared/useValues";
import { showKeys } from "@/app/frame/showing";
import { switchLight } from "@/state/light";
import { completeDays, usualPeriods } from "@/state/days";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { ITEM } from "@/ui/surfaces";
import { plural } from "@/words/format";
import { readWords, type KeptLink } from "@/words/links";

/** What has a name that fits, and what can be done from everywhere. */
export function Found({ onDone }: { onDone: () => void }) {
  const { site, goals, segments } = useSite();
  const standing = segments.filter((one) => !one.archived);
  const { goal, versus, parts } = useView();
  const { narrow, steerBy, setPeriod, setVersus, setParts, undo } = useSteering();
  const navigate = useNavigate();
  const leave = useLeave();
  const { path, isTimeless } = useHere();
  const to = (path: ViewPath) => void navigate({ to: path, params: { site: site.key }, search: elsewhere });
  const act = (action: () => void) => () => {
    onDone();
    leave(action);
  };
  const only = (dimension: string, value: string) => act(() => narrow(dimension, value, "only", path === HOME ? undefined : HOME));
  const [query, setQuery] = useState("");
  const lately = completeDays(site.today, 28);
  const pages = useValues("page", { of: lately, query }).values;
  const campaigns = useValues("campaign", { of: lately, query }).values;
  const events = useQuery(eventsQuery(site.key, { period: lately }, { live: false }));
  const links = useQuery(linksQuery(site.key, goal?.id ?? null));
  return (
    <Command label="Find, or do" loop className="mt-2 grid gap-2">
      <Command.Input
        autoFocus
        value={query}
        onValueChange={setQuery}
        placeholder="A view, a page, a campaign, an event, a goal, a segment …"
        className="min-h-9 rounded-xs border border-hairline-firm bg-paper px-2.5 text-ink placeholder:text-ink-2"
      />
      <Command.List className="max-h-[46vh] overflow-auto" label="What was found">
        <Command.Empty className="px-3.5 py-3 text-ink-2">Nothing has such a name.</Command.Empty>
        <Part heading="Views">
          {STAGES.flatMap((stage) =>
            stage.views.map((one) => (
              <Line key={one.path} value={`view ${one.name} ${stage.name}`} beside={stage.name} onDo={act(() => to(one.path))}>
                {one.name}
              </Line>
            )),
          )}
        </Part>
        <Part heading="Steer by">
          {goals.map((one) => (
            <Line
              key={one.id}
              value={`goal ${one.name} ${one.id}`}
              beside={one.id === goal?.id ? "steered by" : "goal"}
              onDo={act(() => steerBy(one.id))}
            >
              {one.name}
            </Line>
          ))}
        </Part>
        <Part heading="Segments: only these">
          {fewOf(standing, query, (one) => `segment ${one.name}`).map((one) => (
            <Line
              key={one.id}
              value={`segment ${one.name} ${one.id}`}
              beside="segment"
              onDo={act(() => {
                const others = parts.filter((other) => other.kind !== "saved" || other.id !== one.id);
                setParts([...others, { kind: "saved", id: one.id }], isTimeless ? HOME : undefined);
              })}
            >
              {one.name}
            </Line>
          ))}
        </Part>
        <Part heading="Commands">
          {usualPeriods(site.today, site.first_day).map(([name, period]) => (
            <Line key={name} value={`days ${name}`} beside="days" onDo={act(() => setPeriod(period))}>
              {name}
            </Line>
          ))}
          <Line value="versus on off" beside="v" onDo={act(() => setVersus(versus === "none" ? "before" : "none"))}>
            {versus === "none" ? "Versus the days before" : "Versus nothing"}
          </Line>
          <Line value="undo take back" beside="Ctrl Z" onDo={act(undo)}>
            Take back what was done last
          </Line>
          <Line value="day night light dark" beside="d" onDo={act(switchLight)}>
            Day or night
          </Line>
          <Line value="all keys help" beside="?" onDo={act(showKeys)}>
            All keys
          </Line>
        </Part>
        <Values
          heading="Pages: only visits with"
          kind="page"
          query={query}
          values={pages.flatMap(withVisits)}
          onTake={(value) => only("page", value)}
        />
        <Values
          heading="Campaigns: only visits of"
          kind="campaign"
          query={query}
          values={campaigns.flatMap(withVisits)}
          onTake={(value) => only("campaign", value)}
        />
        <Values
          heading="Events: only visits with"
          kind="event"
          query={query}
          values={(events.data ?? []).map((one) => ({ value: one.name, beside: plural(one.people, "visitor") }))}
          onTake={(value) => only("event", value)}
        />
        <Part heading="Links">
          {fewOf(links.data ?? [], query, linkText).map((link) => (
            <Line
              key={link.id}
              value={linkText(link)}
              beside={plural(link.came.visits, "visit")}
              onDo={act(() => to("/s/$site/tag/links"))}
            >
              {readWords(link.read)}
            </Line>
          ))}
        </Part>
      </Command.List>
    </Command>
  );
}

interface Named {
  value: string;
  beside: string;
}

const withVisits = ({ value, visits }: { value: string; visits: number }): Named[] =>
  value ? [{ value, beside: plural(visits, "visit") }] : [];

const linkText = (link: KeptLink): string => `link ${link.url} ${link.note} ${readWords(link.read)}`;

interface ValuesProps {
  heading: string;
  kind: string;
  /** What is looked for. */
  query: string;
  values: Named[];
  onTake: (value: string) => () => void;
}

function Values({ heading, kind, query, values, onTake }: ValuesProps) {
  return (
    <Part heading={heading}>
      {fewOf(values, query, (one) => `${kind} ${one.value}`).map((one) => (
        <Line key={one.value} value={`${kind} ${one.value}`} beside={one.beside} onDo={onTake(one.value)}>
          {one.value}
        </Line>
      ))}
    </Part>
  );
}

function Part({ heading, children }: { heading: string; children: ReactNode }) {
  return (
    <Command.Group
      heading={heading}
      className="[&_[cmdk-group-heading]]:px-3.5 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-0.5 [&_[cmdk-group-heading]]:text-label [&_[cmdk-group-heading]]:text-ink-2"
    >
      {children}
    </Command.Group>
  );
}

function Line({ value, beside, onDo, children }: { value: string; beside: string; onDo: () => void; children: ReactNode }) {
  return (
    <Command.Item value={value} className={ITEM} onSelect={onDo}>
      <span className="min-w-0 wrap-anywhere">{children}</span>
      <span className="whitespace-nowrap text-ink-2">{beside}</span>
    </Command.Item>
  );
}
