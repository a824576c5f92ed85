import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";

import type { Schemas } from "@/api/client";
import { refusedQuery } from "@/api/queries";
import { useAddress } from "@/api/useAddress";
import { useSite } from "@/state/site";
import { plural } from "@/words/format";

// A browser keeps the script for five minutes, so it may have been fetched that long before the check began.
const KEPT_MS = 300_000;

interface Reason {
  name: string;
  /** Whether it was found, ruled out, or cannot be looked up from here. */
  is: "found" | "out" | "open";
  text: ReactNode;
}

/** Why nothing comes, what was found first; what is ruled out is folded away. Only what came since the check began is a reason. */
export function Reasons({ since }: { since: string }) {
  const { site } = useSite();
  const address = useAddress();
  const began = Date.parse(since);
  const refused = useQuery(refusedQuery(site.key, new Date(began - KEPT_MS).toISOString()));
  const rows = refused.data ?? [];
  const fresh = rows.filter((row) => Date.parse(row.last) >= began);
  const reasons = [
    ...known(site, fresh),
    ...ofTheScript(
      site,
      fresh.some((row) => row.why === "fetched"),
      rows.some((row) => row.why === "fetched"),
      address,
    ),
  ];
  const told = [...reasons.filter((one) => one.is === "found"), ...reasons.filter((one) => one.is === "open")];
  const out = reasons.filter((one) => one.is === "out");
  return (
    <>
      <p>Nothing has come yet. {told[0]?.is === "found" ? "This was found:" : "It may be this:"}</p>
      <ol aria-label="Reasons" className="list-decimal pl-[22px] text-ink-2">
        {told.map((one) => (
          <li key={one.name} className={one.is === "found" ? "font-semibold text-rust" : ""} data-found={one.is === "found" || undefined}>
            {one.text}
          </li>
        ))}
      </ol>
      <details>
        <summary>{plural(out.length, "other reason")} ruled out</summary>
        <ul className="list-decimal pl-[22px] text-ink-2">
          {out.map((one) => (
            <li key={one.name}>{one.text}</li>
          ))}
        </ul>
      </details>
    </>
  );
}

type Site = Schemas["SiteOut"];
type Refused = Schemas["RefusedOut"];

function known(site: Site, fresh: Refused[]): Reason[] {
  const asksForNone = (navigator as { globalPrivacyControl?: boolean }).globalPrivacyControl === true;
  const of = (why: Refused["why"]) => fresh.find((row) => row.why === why);
  const [key, other, hit, many] = [of("unknown key"), of("unknown host"), of("refused"), of("too many")];
  return [
    {
      name: "privacy",
      is: asksForNone ? "found" : "out",
      text: asksForNone
        ? "This browser asks for nothing to be kept (Global Privacy Control), so the script stays silent. Try another browser."
        : "This browser does not ask for Global Privacy Control.",
    },
    {
      name: "key",
      is: key ? "found" : "out",
      text: key
        ? `A page of ${key.host || "the site"} has the key “${key.key}”, which no site has; yours is “${site.key}”.`
        : "No page of the site has a wrong key.",
    },
    {
      name: "host",
      is: other ? "found" : "out",
      text: other
        ? `${plural(other.times, "request")} came from ${other.host}, which is not among the site’s hosts. Add it in the settings.`
        : "No other host sent this site’s key.",
    },
    {
      name: "hit",
      is: hit ? "found" : "out",
      text: hit ? `A hit of ${hit.page || "a page"} was refused for its ${hit.field}.` : "No hit was refused for what it holds.",
    },
    { name: "many", is: many ? "found" : "out", text: many ? "More hits came than may be sent in a minute." : "Not too many hits came." },
  ];
}

function ofTheScript(site: Site, fetched: boolean, lately: boolean, address: string): Reason[] {
  const consent: Reason[] = site.tagging.consent
    ? [{ name: "consent", is: "open", text: "The page has not yet said uc.consent(true)." }]
    : [];
  if (fetched)
    return [
      {
        name: "connect",
        is: "found",
        text: (
          <>
            The script was fetched, but nothing arrived: the page’s content policy must allow <code>{address}</code> in{" "}
            <code>connect-src</code> too, or something in the browser blocks it. Its console says so.
          </>
        ),
      },
      ...consent,
      { name: "never", is: "out", text: "A page of the site fetched the script, so it bears the code." },
    ];
  return [
    {
      name: "never",
      is: "open",
      text: (
        <>
          {lately ? "The script was not fetched since: " : "The script was never fetched: "}
          the page does not bear the code{lately && ", or the browser still has the copy that it keeps for five minutes"}. Look into its
          source for <code>uc.js</code>.
        </>
      ),
    },
    {
      name: "script",
      is: "open",
      text: (
        <>
          Or the page’s content policy blocks it: it must allow <code>{address}</code> in <code>script-src</code>. The browser’s console
          says so.
        </>
      ),
    },
    ...consent,
  ];
}
