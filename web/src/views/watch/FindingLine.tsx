import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { clsx } from "clsx";
import { useState } from "react";

import { ask, client, type Finding, type Fix } from "@/api/client";
import { fixPreviewQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { can } from "@/state/can";
import { lastDays } from "@/state/days";
import type { ViewPath } from "@/state/paths";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError, Input } from "@/ui/Field";
import { Select } from "@/ui/Select";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { Moves } from "@/views/shared/Moves";
import { fixVerb } from "@/words/fixes";

const MARKS: Record<Finding["severity"], { path: string; words: string; className: string }> = {
  high: { path: "M6 .8 11.2 6 6 11.2.8 6Z", words: "fix first", className: "fill-rust stroke-none" },
  middle: { path: "M6 1.8 10.2 6 6 10.2 1.8 6Z", words: "worth fixing", className: "fill-none stroke-rust" },
  low: { path: "M6 4a2 2 0 1 0 .01 0", words: "to know", className: "fill-none stroke-ink-2" },
};
/** Where to go on from a finding that is not fixed here. */
const WAYS: Partial<Record<Finding["kind"], [ViewPath, string]>> = {
  "script missing": ["/s/$site/tag/site-code", "Site code"],
  "silent event": ["/s/$site/tag/events", "Events"],
  "silent goal": ["/s/$site/tag/goals", "Goals"],
  "untagged mail": ["/s/$site/tag/links", "Links"],
  refused: ["/s/$site/tag/settings", "Settings"],
};
const ACTS = "flex max-w-[430px] flex-wrap content-start items-center gap-x-2 gap-y-1.5 max-[800px]:col-start-2 min-[800px]:justify-end";

interface FindingLineProps {
  finding: Finding;
  busy: boolean;
  onFix: (fix: Fix) => void;
}

/** One finding: what it is, what it costs, and what can be done. */
export function FindingLine({ finding, busy, onFix }: FindingLineProps) {
  const { site } = useSite();
  const { path, words, className } = MARKS[finding.severity];
  const way = WAYS[finding.kind];
  // What is about to be fixed: what it would move is seen before.
  const [meant, setMeant] = useState<Fix | null>(null);
  return (
    <li
      aria-label={finding.title}
      className="grid grid-cols-[14px_minmax(0,1fr)] gap-x-3 gap-y-1 border-b border-hairline py-2.5 min-[800px]:grid-cols-[14px_minmax(0,1fr)_minmax(200px,auto)]"
    >
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true" className={clsx("mt-1.5 stroke-[1.4]", className)}>
        <path d={path} />
      </svg>
      <div>
        <h2 className="font-serif text-title">
          {finding.title} <span className="ml-1 font-sans text-label font-normal text-ink-2">{words}</span>
        </h2>
        <p>
          {finding.cost} <OpenFigure finding={finding} />
        </p>
        <p className="text-ink-2">
          {finding.advice}
          {finding.examples && finding.examples.length > 0 && ` Seen on ${finding.examples.join(", ")}.`}
          {way && (
            <Link
              className="ml-2 text-teal underline decoration-sea-2 decoration-1 underline-offset-3"
              to={way[0]}
              params={{ site: site.key }}
              search
            >
              {way[1]}
            </Link>
          )}
        </p>
      </div>
      {finding.accepted ? <WhyLeft finding={finding} /> : <Acts finding={finding} busy={busy} meant={meant} setMeant={setMeant} />}
      {meant && (
        <div className="col-start-2 col-end-[-1] grid gap-2 pt-1">
          <Preview fix={meant} />
          <div className="flex gap-3">
            <Button kind="primary" autoFocus disabled={busy} onClick={() => onFix(meant)}>
              Fix
            </Button>
            <Button onClick={() => setMeant(null)}>Cancel</Button>
          </div>
        </div>
      )}
    </li>
  );
}

/** Behind the numbers of a finding: the figure of a report, of the days that it looks at. */
function OpenFigure({ finding: { title, figure } }: { finding: Finding }) {
  const { site, goals, registry } = useSite();
  const openUp = useOpenUp();
  if (!figure) return null;
  const goal = goals.find((one) => one.name === figure.goal);
  const days = lastDays(site.today, figure.days);
  const opened = {
    measure: figure.measure,
    title: registry?.measures.find((one) => one.name === figure.measure)?.title ?? "",
    of: Object.entries(figure.values ?? {}).map(([dimension, value]) => ({ dimension, value })),
    under: { from: days.first, to: days.last, ...(goal ? { goal: goal.id } : {}) },
  };
  return (
    <Button kind="link" aria-label={`Open up: ${title}`} onClick={() => openUp(opened)}>
      Open up
    </Button>
  );
}

function Preview({ fix }: { fix: Fix }) {
  const { site } = useSite();
  const preview = useQuery(fixPreviewQuery(site.key, fix));
  if (preview.error) return <FieldError>{preview.error.detail}</FieldError>;
  if (!preview.data) return <p aria-busy="true">Reading the last 90 days …</p>;
  return <Moves found={preview.data} isStale={preview.isFetching} />;
}

interface ActsProps {
  finding: Finding;
  busy: boolean;
  meant: Fix | null;
  setMeant: (fix: Fix | null) => void;
}

function Acts({ finding, busy, meant, setMeant }: ActsProps) {
  const { site } = useSite();
  const [accepting, setAccepting] = useState(false);
  const [channel, setChannel] = useState("Print and QR");
  const { fix } = finding;
  const owners = fix?.kind === "ignored host" && !can(site, "own");
  const medium = finding.key.startsWith("unsorted ") && !finding.key.includes("(unset)") ? finding.key.slice("unsorted ".length) : null;
  if (!can(site, "edit")) return null;
  const toggle = (to: Fix) => setMeant(meant ? null : to);
  return (
    <div className={ACTS}>
      {fix && fix.kind !== "channel" && (
        <Button kind="primary" disabled={busy || owners} aria-expanded={meant !== null} onClick={() => toggle(fix)}>
          {fixVerb(fix)}
        </Button>
      )}
      {owners && <span className="text-ink-2">for the site’s owners</span>}
      {medium && (
        <>
          <Select
            className="w-auto"
            aria-label={`Channel for ${medium}`}
            value={channel}
            onChange={(to) => {
              setChannel(to);
              if (meant) setMeant({ kind: "channel", medium, channel: to });
            }}
            options={[...new Set(site.rules.channels.map((rule) => rule.channel))]}
          />
          <Button
            kind="primary"
            disabled={busy}
            aria-expanded={meant !== null}
            onClick={() => toggle({ kind: "channel", medium, channel })}
          >
            Give it this channel
          </Button>
        </>
      )}
      {accepting ? (
        <Accept finding={finding} onClose={() => setAccepting(false)} />
      ) : (
        <Button onClick={() => setAccepting(true)}>Ignore …</Button>
      )}
    </div>
  );
}

function Accept({ finding, onClose }: { finding: Finding; onClose: () => void }) {
  const { site } = useSite();
  const entry = useEntry({
    touches: "findings",
    values: { reason: "" },
    check: ({ reason }) => (reason.trim() ? {} : { reason: "Say why, for whoever asks later." }),
    send: ({ reason }) =>
      ask(
        client.PUT("/api/v1/sites/{site}/findings/accepted", {
          params: { path: { site: site.key } },
          body: { key: finding.key, reason: reason.trim() },
        }),
      ),
  });
  return (
    <EntryForm
      entry={entry}
      label={`Ignore: ${finding.title}`}
      className="w-full min-w-60"
      foot={
        <>
          <Button type="submit" disabled={entry.isSending}>
            Ignore
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </>
      }
    >
      <EntryField entry={entry} name="reason" label="Why it is ignored">
        {(control) => <Input {...control} autoFocus maxLength={300} />}
      </EntryField>
    </EntryForm>
  );
}

function WhyLeft({ finding }: { finding: Finding }) {
  const { site } = useSite();
  const back = useSave("findings", (key: string) =>
    ask(client.DELETE("/api/v1/sites/{site}/findings/accepted", { params: { path: { site: site.key }, query: { key } } })),
  );
  return (
    <div className={ACTS}>
      <p>
        “{finding.accepted?.reason}” <span className="text-ink-2">{finding.accepted?.by ?? "a removed account"}</span>
      </p>
      {can(site, "edit") && (
        <Button disabled={back.isPending} onClick={() => back.mutate(finding.key)}>
          Restore
        </Button>
      )}
      {back.error && <FieldError>{back.error.detail}</FieldError>}
    </div>
  );
}
