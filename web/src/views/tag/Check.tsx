import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { useFollowed } from "@/app/useFollowed";
import { usePageOfSite } from "@/app/usePageOfSite";
import { Field, Input } from "@/ui/Field";
import { Flags, Glyph, hitWords } from "@/pieces/HitWords";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Reasons } from "@/views/tag/Reasons";
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
  const { site } = useView();
  const [address, keep] = usePageOfSite(site);
  const [error, setError] = useState<string | null>(null);
  const opening = useMutation({ mutationFn: () => openAndFollow(site, address) });
  const open = (event: FormEvent) => {
    event.preventDefault();
    if (!URL.canParse(address) || !/^https?:$/.test(new URL(address).protocol))
      return setError("Give a whole address, such as https://mill.example/.");
    setError(null);
    opening.mutate();
  };
  return (
    <section aria-label="Check it">
      <h2 className="title">Check it</h2>
      <form className="form line" onSubmit={open} noValidate>
        <Field label="A page of the site" error={error ?? opening.error?.message}>
          {(control) => <Input {...control} type="url" value={address} onFocus={keep} onChange={keep} />}
        </Field>
        <Button type="submit" kind="primary" disabled={opening.isPending}>
          Open it and look
        </Button>
      </form>
      {opening.data && <Waiting key={opening.data.token} token={opening.data.token} since={opening.data.at} wanted={wanted} act={act} />}
    </section>
  );
}

function Waiting({ token, since, wanted, act }: { token: string; since: string; wanted: Wanted; act: string }) {
  const { site } = useView();
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
      <div className="arrived" role="status">
        <p>
          <b>It works.</b> {wanted.kind === "visit" ? "Your visit from this browser" : hitWords(newest, site.currency)},{" "}
          {ago(at - newest.at)} ago, page {newest.page}.
        </p>
        {newest.internal && <p>You are filtering yourself: the reports leave your visits out. This check looks past the filter.</p>}
        <ol>
          {hits.slice(0, 8).map((hit) => (
            <li key={hit.seq}>
              <Glyph kind={hit.kind} /> {hitWords(hit, site.currency)} <span className="quiet">{hit.page}</span>
              <Flags internal={hit.internal} robot={hit.robot} />
            </li>
          ))}
        </ol>
      </div>
    );
  }
  return (
    <div role="status">
      <p aria-busy="true">Waiting for the visit to arrive …</p>
      {late && <Reasons since={since} />}
    </div>
  );
}
