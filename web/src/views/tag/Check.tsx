import { useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { refusedQuery } from "@/app/queries";
import { useFollowed } from "@/app/useFollowed";
import { Field } from "@/pieces/Field";
import { Flags, Glyph, hitWords } from "@/pieces/HitWords";
import { useView } from "@/state/view";
import { openAndFollow, usualAddress } from "@/words/following";
import { ago, plural } from "@/words/format";

/** What is waited for: the visit itself, or something that is done on the page. */
export type Wanted = { kind: "visit" } | { kind: "order" } | { kind: "event"; name: string };

interface Given {
  wanted?: Wanted;
  /** What to do on the page, so that it is sent. */
  act?: string;
}

/** Opens a page of the site in another tab and waits for what shall arrive from there. */
export function Check({ wanted = { kind: "visit" }, act = "" }: Given) {
  const { site } = useView();
  const [address, setAddress] = useState(usualAddress(site));
  const [wrong, setWrong] = useState<string | null>(null);
  const [token, setToken] = useState<string | null>(null);
  const open = (event: FormEvent) => {
    event.preventDefault();
    if (!URL.canParse(address) || !/^https?:$/.test(new URL(address).protocol))
      return setWrong("Give a whole address, such as https://mill.example/.");
    setWrong(null);
    setToken(openAndFollow(address));
  };
  return (
    <section aria-label="Check it">
      <h2 className="title">Check it</h2>
      <form className="form line" onSubmit={open} noValidate>
        <Field label="A page of the site" wrong={wrong}>
          {(control) => <input {...control} type="url" value={address} onChange={(event) => setAddress(event.target.value)} />}
        </Field>
        <button type="submit" className="do">
          Open it and look
        </button>
      </form>
      {token && <Waiting key={token} token={token} wanted={wanted} act={act} />}
    </section>
  );
}

function Waiting({ token, wanted, act }: { token: string; wanted: Wanted; act: string }) {
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
        {newest.own && <p>You are filtering yourself: the reports leave your visits out. This check looks past the filter.</p>}
        <ol>
          {hits.slice(0, 8).map((hit) => (
            <li key={hit.seq}>
              <Glyph kind={hit.kind} /> {hitWords(hit, site.currency)} <span className="quiet">{hit.page}</span>
              <Flags own={hit.own} robot={hit.robot} />
            </li>
          ))}
        </ol>
      </div>
    );
  }
  return (
    <div role="status">
      <p aria-busy="true">Waiting for the visit to arrive …</p>
      {late && <Reasons />}
    </div>
  );
}

/** Why nothing comes, likeliest first; what can be looked up is. */
function Reasons() {
  const { site } = useView();
  const refused = useQuery(refusedQuery(site.key));
  const [other] = refused.data?.filter((one) => one.why === "unknown host") ?? [];
  const [key] = refused.data?.filter((one) => one.why === "unknown key") ?? [];
  const asksForNone = (navigator as { globalPrivacyControl?: boolean }).globalPrivacyControl === true;
  return (
    <>
      <p>Nothing has come yet. Likely reasons, in order:</p>
      <ol className="reasons">
        <li className={asksForNone ? "found" : ""}>
          {asksForNone
            ? "This browser asks for nothing to be kept (Global Privacy Control), so the script stays silent. Try another browser."
            : "This browser does not ask for Global Privacy Control, so that is not it."}
        </li>
        <li className={key ? "found" : ""}>
          {key
            ? `A page of ${key.host} sent the key “${key.key}”, which no site has; yours is “${site.key}”.`
            : "No page of the site sent a wrong key."}
        </li>
        <li className={other ? "found" : ""}>
          {other
            ? `${plural(other.times, "request")} came from ${other.host}, which is not among the site’s hosts. Add it in the settings.`
            : "No other host sent this site’s key."}
        </li>
        <li>
          The page does not bear the code, or the browser keeps an older copy of it. Look into the page’s source for <code>uc.js</code>.
        </li>
        <li>
          The page’s content policy blocks the script. It must allow <code>{location.origin}</code> in <code>script-src</code> and{" "}
          <code>connect-src</code>; the browser’s console says so.
        </li>
        {site.tagging.consent && <li>The page has not yet said uc.consent(true).</li>}
      </ol>
    </>
  );
}
