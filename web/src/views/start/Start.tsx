import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState, type ReactNode } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { useAddress } from "@/api/useAddress";
import { eventsQuery, nowQuery, tableQuery } from "@/api/queries";
import { HOME } from "@/state/paths";
import { useSave } from "@/api/useSave";
import { Code } from "@/ui/Code";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Check as Tick } from "@/ui/icons";
import { Answer, Title } from "@/ui/text";
import { Check } from "@/views/tag/Check";
import { siteCode } from "@/words/code";
import { proposals, type Proposal } from "@/words/proposals";

/** What a new site still needs: its code, a first visit, a first goal. Each step says when it is done. */
export function Start() {
  const { site, goals, ready } = useSite();
  const address = useAddress();
  const newest = useQuery(nowQuery(site.key, null));
  const hasHits = Boolean(newest.data?.arrived.length);
  const hasGoal = goals.length > 0;
  return (
    <div className="grid max-w-[860px] gap-6">
      <Answer aria-busy={newest.isPending || !ready}>
        {!newest.data || !ready
          ? " "
          : !hasHits
            ? `${site.name} is waiting for its first visit.`
            : hasGoal
              ? `${site.name} is read.`
              : "The first visit has arrived. Now say what counts."}
      </Answer>
      <Step done={hasHits} title="Put the code on every page">
        <p>This line goes into the head of every page of {site.name}:</p>
        <Code text={siteCode(address, site.key)} />
        <p className="text-ink-2">
          You cannot change the pages, or want to read what was before? Its server’s logs can be read too:{" "}
          <Link
            className="text-teal underline decoration-sea-2 underline-offset-3"
            to="/s/$site/tag/import"
            params={{ site: site.key }}
            search
          >
            import one
          </Link>
          .
        </p>
      </Step>
      <Step done={hasHits} title="See the first visit arrive">
        <Check />
      </Step>
      <Step done={hasGoal} title="Say what counts">
        {hasHits ? <FirstGoal /> : <p className="text-ink-2">As soon as something has arrived, goals are proposed here.</p>}
      </Step>
      <p>
        <Link className="text-teal underline decoration-sea-2 underline-offset-3" to={HOME} params={{ site: site.key }} search>
          To the Overview
        </Link>
        <span className="text-ink-2">{hasHits && hasGoal ? "" : ", which says what it is still waiting for"}</span>
      </p>
    </div>
  );
}

function Step({ done, title, children }: { done: boolean; title: string; children: ReactNode }) {
  return (
    <section aria-label={title} className="grid grid-cols-[20px_minmax(0,1fr)] gap-x-2.5 border-t border-hairline pt-3">
      <span className={done ? "mt-1.5 text-kelp" : "mt-1 text-ink-2"}>
        {done ? <Tick /> : "·"}
        <span className="sr-only">{done ? "done" : "to do"}</span>
      </span>
      <div className="grid gap-2">
        <Title>{title}</Title>
        {children}
      </div>
    </section>
  );
}

/** Goals that what arrived suggests, each made with one press. */
function FirstGoal() {
  const { site, goals } = useSite();
  const period = { first: site.first_day, last: site.today };
  const asked = { period, versus: "none" as const, goal: null, segment: null };
  const events = useQuery(eventsQuery(site.key, { period }, { live: true }));
  const pages = useQuery(tableQuery(site.key, { ...asked, dimensions: ["page"], measures: ["views"], limit: 200 }, { live: true }));
  const orders = useQuery(tableQuery(site.key, { ...asked, dimensions: [], measures: ["orders"] }, { live: true }));
  const [made, setMade] = useState<string | null>(null);
  const make = useSave(
    "everything",
    ({ name, goal }: Proposal) =>
      ask(
        client.POST("/api/v1/sites/{site}/goals", { params: { path: { site: site.key } }, body: { name, goal: goal as Schemas["Goal"] } }),
      ),
    (saved) => setMade(saved.name),
  );
  const found = proposals(
    orders.data?.total.values["orders"] ?? 0,
    (events.data ?? []).map((one) => ({ name: one.name, people: one.people, isAutomatic: one.by_itself })),
    pages.data?.rows.map((row) => row.keys[0] ?? "") ?? [],
  );
  const [first] = goals;
  return (
    <>
      {first && <p role="status">{made ?? first.name} counts from now on, and over all that has arrived.</p>}
      {!first && found.length === 0 && (
        <p className="text-ink-2">Nothing that arrived yet looks like a goal: an order, a form, an event, a page of thanks.</p>
      )}
      <ul className="grid gap-1.5">
        {!first &&
          found.map((one) => (
            <li key={one.name} className="flex flex-wrap items-baseline gap-3">
              <Button disabled={make.isPending || !can(site, "edit")} onClick={() => make.mutate(one)}>
                Count {one.name}
              </Button>
              <span className="text-ink-2">{one.why}</span>
            </li>
          ))}
      </ul>
      {make.error && <FieldError>{make.error.detail}</FieldError>}
      <p>
        <Link
          className="text-teal underline decoration-sea-2 underline-offset-3"
          to="/s/$site/tag/goals"
          params={{ site: site.key }}
          search={(kept) => kept}
        >
          {first ? "To all goals" : "Make another goal"}
        </Link>
      </p>
    </>
  );
}
