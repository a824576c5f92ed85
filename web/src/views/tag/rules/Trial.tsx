import { useState, type FormEvent } from "react";

import { ask, client } from "@/api/client";
import { useFollowed } from "@/app/useFollowed";
import { usePageOfSite } from "@/app/usePageOfSite";
import { useSave } from "@/app/useSave";
import { Field, Input } from "@/ui/Field";
import { Glyph, hitWords } from "@/pieces/HitWords";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { ago } from "@/words/format";

const MAX_SHOWN = 6;

/** Turns the draft on for this browser alone, on a page of the site in another tab, and shows what arrives from there. */
export function Trial() {
  const { site } = useView();
  const [address, keep] = usePageOfSite(site);
  const [error, setError] = useState<string | null>(null);
  const begin = useSave(
    () => ask(client.POST("/api/v1/sites/{site}/rules/trials", { params: { path: { site: site.key } } })),
    ({ token }) => window.open(`${address.split("#")[0]}#uc-trial=${token}`, "_blank", "noopener"),
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const whole = URL.canParse(address) && /^https?:$/.test(new URL(address).protocol);
    setError(whole ? null : "Give a whole address, such as https://mill.example/.");
    if (whole) begin.mutate();
  };
  return (
    <section aria-label="Try the draft">
      <h2 className="title">Try the draft on this browser</h2>
      <form className="form line" onSubmit={submit} noValidate>
        <Field label="A page of the site" error={error ?? begin.error?.message}>
          {(control) => <Input {...control} type="url" value={address} onFocus={keep} onChange={keep} />}
        </Field>
        <Button type="submit" disabled={begin.isPending}>
          Open it with the draft
        </Button>
      </form>
      {begin.data ? (
        <Arriving key={begin.data.token} token={begin.data.token} />
      ) : (
        <p className="quiet">
          A panel on the page shows each rule, whether it fired, and why not. Nobody else gets the draft, and what you send meanwhile counts
          as your own traffic. It ends with <i>Stop trying</i> there, or after a day.
        </p>
      )}
    </section>
  );
}

function Arriving({ token }: { token: string }) {
  const { site } = useView();
  const { hits, at, late } = useFollowed(site.key, token);
  if (!hits.length)
    return (
      <div role="status">
        <p aria-busy="true">Waiting for the first hit from that page …</p>
        {late && <p className="quiet">Nothing has come yet. Site code looks for the reason.</p>}
      </div>
    );
  return (
    <div className="arrived" role="status">
      <p>The draft is on in that tab. What arrives from it, newest first:</p>
      <ol>
        {hits.slice(0, MAX_SHOWN).map((hit) => (
          <li key={hit.seq}>
            <Glyph kind={hit.kind} /> {hitWords(hit, site.currency)}{" "}
            <span className="quiet">
              {hit.page}, {ago(at - hit.at)} ago
            </span>
          </li>
        ))}
      </ol>
    </div>
  );
}
