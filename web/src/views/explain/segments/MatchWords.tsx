import { useQuery } from "@tanstack/react-query";

import { eventsQuery } from "@/api/queries";
import { useValues } from "@/views/shared/useValues";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Menu, MenuItem } from "@/ui/Menu";
import { Chosen } from "@/views/shared/Chosen";
import { Conditions } from "@/views/shared/Conditions";
import { PatternHint } from "@/views/shared/PatternHint";
import { newMatch, type MatchDraft } from "@/views/explain/segments/draft";
import { Word } from "@/views/explain/segments/Written";
import { plural } from "@/words/format";

interface MatchWordsProps {
  match: MatchDraft;
  set: (match: MatchDraft) => void;
  isWrong: boolean;
  isNew: boolean;
}

const KINDS = [
  { value: "view", label: "saw the page" },
  { value: "event", label: "did" },
  { value: "order", label: "ordered" },
];
const PAGE_TESTS = ["is", "is not", "starts with", "contains", "regular expression"].map((value) => ({ value, label: value }));

/** Which hits are meant: a page that was seen, an event, an order. */
export function MatchWords({ match, set, isWrong, isNew }: MatchWordsProps) {
  const change = (to: Partial<MatchDraft>) => set({ ...match, ...to });
  const { kind, name, nameTest, pageTest, page } = match;
  const pages = useValues("page", { query: page });
  const seen = pages.values.map((one) => ({ value: one.value, count: plural(one.visits, "visit") }));
  const { events } = useEvents();
  return (
    <>
      <Chosen
        label="What was done"
        value={kind}
        options={KINDS}
        onChange={(to) => to !== kind && set(newMatch(to as MatchDraft["kind"]))}
      />
      {kind === "event" && (
        <>
          <Chosen
            label="The name of the event"
            value={nameTest}
            options={[
              { value: "is", label: "the event" },
              { value: "starts with", label: "an event that starts with" },
            ]}
            onChange={(to) => change({ nameTest: to as MatchDraft["nameTest"] })}
          />
          <Word label="Event" value={name} suggestions={events} isWrong={isWrong} isNew={isNew} onChange={(to) => change({ name: to })} />
        </>
      )}
      {kind === "view" && (
        <Chosen
          label="How its path is meant"
          value={pageTest}
          options={PAGE_TESTS}
          onChange={(to) => change({ pageTest: to as MatchDraft["pageTest"] })}
        />
      )}
      {kind !== "view" && pageTest !== "any" && (
        <>
          <span>on a page that</span>
          <Chosen
            label="How its path is meant"
            value={pageTest}
            options={[...PAGE_TESTS, { value: "any", label: "may be any" }]}
            onChange={(to) => change({ pageTest: to as MatchDraft["pageTest"] })}
          />
        </>
      )}
      {pageTest !== "any" && (
        <Word
          label="Page"
          value={page}
          suggestions={seen}
          isWrong={isWrong}
          isNew={isNew && kind === "view"}
          onChange={(to) => change({ page: to })}
        />
      )}
      <Where match={match} change={change} />
    </>
  );
}

/** What hits of a match must have beside what it is: properties, site fields, a page. */
function Where({ match, change }: { match: MatchDraft; change: (to: Partial<MatchDraft>) => void }) {
  const { site } = useSite();
  const { propsOf } = useEvents();
  const [field] = site.rules.fields;
  const begun = (name: string) => ({ name, test: "is", value: "" });
  const items = [
    match.kind !== "view" && {
      label: "a property …",
      to: { props: [...match.props, begun(propsOf(match.name)[0] ?? "")] },
    },
    match.pageTest === "any" && { label: "the page …", to: { pageTest: "is" as const } },
    field && { label: "a site field …", to: { fields: [...match.fields, begun(field.key)] } },
  ].filter((one) => !!one);
  if (!items.length) return null;
  return (
    <Menu
      trigger={
        <Button kind="link" className="text-label">
          where …
        </Button>
      }
    >
      {items.map(({ label, to }) => (
        <MenuItem key={label} onSelect={() => change(to)}>
          {label}
        </MenuItem>
      ))}
    </Menu>
  );
}

/** The properties and site fields that were asked for, each a line of its own. */
export function MatchMore({ match, set, error }: { match: MatchDraft; set: (match: MatchDraft) => void; error?: string }) {
  const { site } = useSite();
  const { propsOf } = useEvents();
  const change = (to: Partial<MatchDraft>) => set({ ...match, ...to });
  const fields = site.rules.fields.map((one) => one.key);
  if (!match.props.length && !match.fields.length && match.pageTest !== "regular expression") return null;
  return (
    <div className="grid w-full max-w-[560px] justify-items-start gap-1 pl-5 text-ink">
      {match.props.length > 0 && (
        <Conditions
          what="property"
          names={propsOf(match.name)}
          numbers
          value={match.props}
          error={error}
          set={(props) => change({ props })}
        />
      )}
      {match.fields.length > 0 && (
        <Conditions what="site field" names={fields} value={match.fields} error={undefined} set={(to) => change({ fields: to })} />
      )}
      {match.pageTest === "regular expression" && <PatternHint />}
    </div>
  );
}

/** Events that ever arrived, each with its people, and the properties of one. */
function useEvents() {
  const { site } = useSite();
  const { period } = useView();
  const found = useQuery(eventsQuery(site.key, { period }, { live: false }));
  const events = found.data ?? [];
  return {
    events: events.map((one) => ({ value: one.name, count: plural(one.people, "visitor") })),
    propsOf: (name: string) => events.find((one) => one.name === name)?.props.map((one) => one.key) ?? [],
  };
}
