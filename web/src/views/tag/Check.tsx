import { useState } from "react";

import type { Schemas } from "@/api/client";
import { useFollowed } from "@/api/useFollowed";
import { usePageOfSite } from "@/api/usePageOfSite";
import { useEntry } from "@/forms/useEntry";
import { Flags, Glyph, hitWords } from "@/views/shared/HitWords";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Part, Told } from "@/ui/layout";
import { Reasons } from "@/views/tag/Reasons";
import { AddressEntry, wholeAddress } from "@/views/shared/AddressEntry";
import { openAndFollow } from "@/words/following";
import { ago } from "@/words/format";

/** What is waited for: the visit itself, or something that is done on the page. */
export type Wanted = { kind: "visit" } | { kind: "order" } | { kind: "event"; name: string };

interface CheckProps {
  wanted?: Wanted;
  /** What to do on the page, so that it is sent. */
  act?: string;
}

/** Opens a page of the site in another tab and waits for what shall arrive from there. */
export function Check({ wanted = { kind: "visit" }, act = "" }: CheckProps) {
  const { site } = useSite();
  const [address, keep] = usePageOfSite(site);
  const [opened, setOpened] = useState<Schemas["TokenOut"] | null>(null);
  const entry = useEntry({
    values: { address },
    check: wholeAddress,
    send: (given) => openAndFollow(site, given.address),
    after: setOpened,
    touches: "nothing",
  });
  return (
    <Part title="Check it" aria-label="Check it">
      <AddressEntry entry={entry} label="Open and look" onFocus={keep}>
        <Button type="submit" kind="primary" disabled={entry.isSending}>
          Open it and look
        </Button>
      </AddressEntry>
      {opened && <Waiting key={opened.token} token={opened.token} since={opened.at} wanted={wanted} act={act} />}
    </Part>
  );
}

function Waiting({ token, since, wanted, act }: { token: string; since: string; wanted: Wanted; act: string }) {
  const { site } = useSite();
  const { hits, at, late } = useFollowed(site.key, token);
  const names =
    wanted.kind === "event" ? [wanted.name, ...site.rules.events.flatMap((one) => (one.name === wanted.name && one.shown_as) || [])] : [];
  const newest =
    wanted.kind === "visit" ? hits[0] : hits.find((hit) => hit.kind === wanted.kind && (hit.kind === "order" || names.includes(hit.name)));
  if (!newest && hits.length > 0) {
    return (
      <p role="status" aria-busy="true">
        Your visit has arrived. Now {act} in that tab; it is looked for here.
      </p>
    );
  }
  if (newest) {
    return (
      <Told role="status">
        <p>
          <b>It works.</b> {wanted.kind === "visit" ? "Your visit from this browser" : hitWords(newest, site.currency)},{" "}
          {ago(at - newest.at)} ago, page {newest.page}.
        </p>
        {newest.internal && <p>You are filtering yourself: the reports leave your visits out. This check looks past the filter.</p>}
        <ol>
          {hits.slice(0, 8).map((hit) => (
            <li key={hit.seq}>
              <Glyph kind={hit.kind} /> {hitWords(hit, site.currency)} <span className="text-ink-2">{hit.page}</span>
              <Flags internal={hit.internal} robot={hit.robot} />
            </li>
          ))}
        </ol>
      </Told>
    );
  }
  return (
    <div role="status">
      <p aria-busy="true">Waiting for the visit to arrive …</p>
      {late && <Reasons since={since} />}
    </div>
  );
}
