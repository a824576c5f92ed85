import { useQuery } from "@tanstack/react-query";

import type { HitRecord } from "@/api/client";
import { buildQuery } from "@/api/queries";
import { useFollowed } from "@/api/useFollowed";
import { useSite } from "@/state/site";
import { Told } from "@/ui/layout";
import { Check, Cross } from "@/ui/icons";
import { ago } from "@/words/format";
import { EMPTY, type BuiltLink } from "@/words/links";

const COMPARED = ["channel", "source", "medium", "campaign"] as const;
const HEADS = { channel: "Channel", source: "Source", medium: "Medium", campaign: "Campaign" };

interface LinkArrivalProps {
  token: string;
  /** When it was opened, by the server's clock. */
  at: number;
  url: string;
  expected: BuiltLink;
}

/** As what the visit of a link that was opened arrives, held against what was meant. */
export function LinkArrival({ token, at, url, expected }: LinkArrivalProps) {
  const { site } = useSite();
  const { hits, at: now, late } = useFollowed(site.key, token);
  // The same browser may have been here before; only what came since the link was opened is of it.
  const view = hits.filter((hit) => hit.kind === "view" && hit.at >= at).at(-1);
  if (!view) {
    return (
      <div role="status">
        <p aria-busy="true">Waiting for the visit to arrive …</p>
        {late && (
          <p className="text-ink-2">
            Nothing has come yet. The link may lead to a page without the code, or away from the site; Site code looks for the reason.
          </p>
        )}
      </div>
    );
  }
  return <Arrived view={view} at={now} url={url} expected={expected} />;
}

// Who comes without any tag, from nowhere else.
const DIRECT = { channel: "Direct", source: "direct", medium: "none", campaign: "" };

function Arrived({ view, at, url, expected }: { view: HitRecord; at: number; url: string; expected: BuiltLink }) {
  const { site } = useSite();
  const lost = lostTags(view, url);
  // With all tags there it counts as it was meant; else as what is left of them, whatever visit was under way in this browser.
  const left = useQuery({ ...buildQuery(site.key, [{ ...EMPTY, address: view.url }]), enabled: lost.length > 0 });
  const [rest] = left.data ?? [];
  const came = lost.length === 0 ? expected : rest?.url ? rest : DIRECT;
  const wentOn = (["source", "medium", "campaign"] as const).some((name) => view[name] !== came[name]);
  const strayed = view.page !== expected.page;
  const isAmiss = lost.length > 0 || strayed;
  return (
    <Told isAmiss={isAmiss} role="status" aria-busy={left.isFetching}>
      <p>
        <b>{isAmiss ? "Arrived, but not as meant" : "Arrived"}</b> {ago(at - view.at)} ago. A new visitor counts as
      </p>
      <ul aria-label="How it is read" className="grid gap-0.5">
        {COMPARED.map((name) => {
          const isRight = came[name] === expected[name];
          return (
            <li key={name} className="grid grid-cols-[16px_72px_minmax(0,1fr)] items-center gap-2">
              <span className={isRight ? "text-kelp" : "text-rust"}>
                {isRight ? <Check /> : <Cross />}
                <span className="sr-only">{isRight ? "as meant" : "not as meant"}</span>
              </span>
              <span className="text-ink-2">{HEADS[name]}</span>
              <span className="wrap-anywhere">
                {came[name] || "nothing"}
                {!isRight && <span className="text-ink-2">, not {expected[name] || "nothing"}</span>}
              </span>
            </li>
          );
        })}
      </ul>
      {strayed && (
        <p>
          It landed on {view.page}, not on {expected.page}.
        </p>
      )}
      {lost.length > 0 && (
        <p className="wrap-anywhere">
          Lost on the way, most likely by a redirect: {lost.join(", ")}. The address that arrived is {view.url}
        </p>
      )}
      {wentOn && (
        <p className="text-ink-2">
          In this browser a visit by {[view.channel, view.source].filter(Boolean).join(" / ")} was under way, and a visit keeps its source.
        </p>
      )}
      <p className="text-ink-2">The check is own traffic; no report counts it.</p>
    </Told>
  );
}

function lostTags(view: HitRecord, url: string): string[] {
  const came = new URL(view.url).searchParams;
  return [...new URL(url).searchParams].filter(([key, value]) => value && !came.has(key)).map(([key]) => key);
}
