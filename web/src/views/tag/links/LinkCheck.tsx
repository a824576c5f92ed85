import { useMutation } from "@tanstack/react-query";

import type { HitRecord } from "@/api/client";
import { useFollowed } from "@/app/useFollowed";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { openAndFollow } from "@/words/following";
import { ago } from "@/words/format";
import { readWords, type BuiltLink } from "@/words/links";

const COMPARED = ["source", "medium", "campaign"] as const;

/** Opens a link in another tab, and says as what its visit arrived. */
export function LinkCheck({ url, expected }: { url: string; expected: BuiltLink }) {
  const { site } = useView();
  const open = useMutation({ mutationFn: () => openAndFollow(site, url) });
  const opened = open.data;
  return (
    <div className="check">
      <Button disabled={open.isPending} onClick={() => open.mutate()}>
        {opened ? "Open it once more" : "Open it in another tab"}
      </Button>
      {open.isError && <p role="alert">{open.error.message}</p>}
      {opened && <Arrival key={opened.token} token={opened.token} at={Date.parse(opened.at)} url={url} expected={expected} />}
    </div>
  );
}

function Arrival({ token, at, url, expected }: { token: string; at: number; url: string; expected: BuiltLink }) {
  const { site } = useView();
  const { hits, at: now, late } = useFollowed(site.key, token);
  // The same browser may have been here before; only what came since the link was opened is of it.
  const view = hits.filter((hit) => hit.kind === "view" && hit.at >= at).at(-1);
  if (!view) {
    return (
      <div role="status">
        <p aria-busy="true">Waiting for the visit to arrive …</p>
        {late && (
          <p className="quiet">
            Nothing has come yet. The link may lead to a page without the code, or away from the site; Site code looks for the reason.
          </p>
        )}
      </div>
    );
  }
  const faults = amiss(view, url, expected);
  return (
    <div className={faults.length ? "arrived amiss" : "arrived"} role="status">
      <p>
        <b>{faults.length ? "Arrived, but not as meant" : "Arrived"}:</b> {readWords(view)}, {ago(now - view.at)} ago.
      </p>
      {faults.map((fault) => (
        <p key={fault}>{fault}</p>
      ))}
      {view.internal && <p>You are filtering yourself: the reports leave this visit out, this check looks past the filter.</p>}
    </div>
  );
}

/** What came instead of what was meant. A visit that was under way keeps its source, so lost tags are told by the address that arrived. */
function amiss(view: HitRecord, url: string, expected: BuiltLink): string[] {
  const message: string[] = [];
  const meant = new URL(url);
  const came = new URL(view.url);
  const bare = meant.pathname.replace(/\/+$/, "") || "/";
  const page = view.page.split("?")[0] ?? "";
  // A copy under another address counts as the original; of it only the end of the path is the same.
  const same = meant.hostname === came.hostname ? bare === page : page === "/" ? meant.pathname.endsWith("/") : bare.endsWith(page);
  if (!same) message.push(`It landed on ${view.page}, not on ${meant.pathname}.`);
  const tags = [...meant.searchParams].filter(([key, value]) => value && !came.searchParams.has(key));
  if (tags.length)
    message.push(
      `Lost on the way, most likely by a redirect: ${tags.map(([key]) => key).join(", ")}. The address that arrived is ${view.url}`,
    );
  else
    for (const name of COMPARED)
      if (view[name] !== expected[name]) message.push(`The ${name} is ${view[name] || "nothing"}, not ${expected[name] || "nothing"}.`);
  return message;
}
