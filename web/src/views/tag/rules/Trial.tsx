import { useState } from "react";

import { ask, client } from "@/api/client";
import { useFollowed } from "@/api/useFollowed";
import { usePageOfSite } from "@/api/usePageOfSite";
import { useEntry } from "@/forms/useEntry";
import { AddressEntry, wholeAddress } from "@/views/shared/AddressEntry";
import { Glyph, hitWords } from "@/views/shared/HitWords";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Part, Told } from "@/ui/layout";
import { ago } from "@/words/format";

const MAX_SHOWN = 6;

/** Turns the draft on for this browser alone, on a page of the site in another tab, and shows what arrives from there. */
export function Trial() {
  const { site } = useSite();
  const [address, keep] = usePageOfSite(site);
  const [token, setToken] = useState<string | null>(null);
  const entry = useEntry({
    values: { address },
    check: wholeAddress,
    send: async (given) => {
      const begun = await ask(client.POST("/api/v1/sites/{site}/rules/trials", { params: { path: { site: site.key } } }));
      window.open(`${given.address.split("#")[0]}#uc-trial=${begun.token}`, "_blank", "noopener");
      return begun;
    },
    after: (begun) => setToken(begun.token),
    touches: "nothing",
  });
  return (
    <Part isWide title="Try the draft on this browser" aria-label="Try the draft">
      <AddressEntry entry={entry} label="Open with the draft" onFocus={keep}>
        <Button type="submit" disabled={entry.isSending}>
          Open it with the draft
        </Button>
      </AddressEntry>
      {token ? (
        <Arriving key={token} token={token} />
      ) : (
        <p className="text-ink-2">
          A panel on the page shows each rule, whether it fired, and why not. Nobody else gets the draft, and what you send meanwhile counts
          as your own traffic. It ends with <i>Stop trying</i> there, or after a day.
        </p>
      )}
    </Part>
  );
}

function Arriving({ token }: { token: string }) {
  const { site } = useSite();
  const { hits, at, late } = useFollowed(site.key, token);
  if (!hits.length)
    return (
      <div role="status">
        <p aria-busy="true">Waiting for the first hit from that page …</p>
        {late && <p className="text-ink-2">Nothing has come yet. Site code looks for the reason.</p>}
      </div>
    );
  return (
    <Told role="status">
      <p>The draft is on in that tab. What arrives from it, newest first:</p>
      <ol>
        {hits.slice(0, MAX_SHOWN).map((hit) => (
          <li key={hit.seq}>
            <Glyph kind={hit.kind} /> {hitWords(hit, site.currency)}{" "}
            <span className="text-ink-2">
              {hit.page}, {ago(at - hit.at)} ago
            </span>
          </li>
        ))}
      </ol>
    </Told>
  );
}
