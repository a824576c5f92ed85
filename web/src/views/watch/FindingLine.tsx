import { Link } from "@tanstack/react-router";
import { useState, type FormEvent } from "react";

import { ask, client, type Finding, type Fix } from "@/api/client";
import { viewPath } from "@/app/stages";
import { useSave } from "@/app/useSave";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";
import { Select } from "@/ui/Select";

const MARKS: Record<Finding["severity"], { path: string; words: string }> = {
  high: { path: "M6 .8 11.2 6 6 11.2.8 6Z", words: "fix first" },
  middle: { path: "M6 1.8 10.2 6 6 10.2 1.8 6Z", words: "worth fixing" },
  low: { path: "M6 4a2 2 0 1 0 .01 0", words: "to know" },
};
/** Where to go on from a finding that is not mended here. */
const WAYS: Partial<Record<Finding["kind"], [string, string]>> = {
  "script missing": ["tag/site-code", "Site code"],
  "silent event": ["tag/events", "Events"],
  "silent goal": ["tag/goals", "Goals"],
  "untagged mail": ["tag/links", "Links"],
  refused: ["tag/settings", "Settings"],
};

interface FindingLineProps {
  finding: Finding;
  busy: boolean;
  onFix: (fix: Fix) => void;
}

/** One finding: what it is, what it costs, and what can be done. */
export function FindingLine({ finding, busy, onFix }: FindingLineProps) {
  const { site } = useView();
  const { path, words } = MARKS[finding.severity];
  const way = WAYS[finding.kind];
  return (
    <li className={`finding ${finding.severity}`}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        <path d={path} />
      </svg>
      <div>
        <h3>
          {finding.title} <span className="quiet">{words}</span>
        </h3>
        <p>{finding.cost}</p>
        <p className="quiet">
          {finding.advice}
          {finding.examples && finding.examples.length > 0 && ` Seen on ${finding.examples.join(", ")}.`}
          {way && (
            <Link className="link" to={viewPath(site.key, way[0])} search={(kept) => kept}>
              {way[1]}
            </Link>
          )}
        </p>
      </div>
      {finding.accepted ? <WhyLeft finding={finding} /> : <Acts finding={finding} busy={busy} onFix={onFix} />}
    </li>
  );
}

function Acts({ finding, busy, onFix }: FindingLineProps) {
  const { site } = useView();
  const [accepting, setAccepting] = useState(false);
  const [channel, setChannel] = useState("Print and QR");
  const canEdit = site.role !== "viewer";
  const { fix } = finding;
  const owners = fix?.kind === "ignored host" && site.role !== "owner";
  const medium = finding.kind === "unsorted" && !finding.key.includes("(unset)") ? finding.key.slice("unsorted ".length) : null;
  if (!canEdit) return null;
  return (
    <div className="acts">
      {fix && fix.kind !== "channel" && (
        <Button kind="primary" disabled={busy || owners} onClick={() => onFix(fix)}>
          {fix.kind === "alias" ? `Read it as ${fix.that}` : "Ignore as a source"}
        </Button>
      )}
      {owners && <span className="quiet">for the site’s owners</span>}
      {medium && (
        <>
          <Select
            className="w-auto"
            aria-label={`Channel for ${medium}`}
            value={channel}
            onChange={(to) => setChannel(to)}
            options={[...new Set(site.rules.channels.map((rule) => rule.channel))]}
          />
          <Button kind="primary" disabled={busy} onClick={() => onFix({ kind: "channel", medium, channel })}>
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
  const { site } = useView();
  const [reason, setReason] = useState("");
  const [tried, setTried] = useState(false);
  const accept = useSave((body: { key: string; reason: string }) =>
    ask(client.PUT("/api/v1/sites/{site}/findings/accepted", { params: { path: { site: site.key } }, body })),
  );
  const error = accept.error?.message ?? (tried && !reason.trim() ? "Say why, for whoever asks later." : null);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setTried(true);
    if (reason.trim()) accept.mutate({ key: finding.key, reason: reason.trim() });
  };
  return (
    <form className="accept" onSubmit={submit} noValidate>
      <Input
        autoFocus
        aria-label="Why it is ignored"
        aria-invalid={error ? true : undefined}
        placeholder="Why it is left"
        maxLength={300}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Button type="submit" disabled={accept.isPending}>
        Ignore
      </Button>
      <Button onClick={onClose}>Close</Button>
      {error && (
        <p className="wrong" role="alert">
          {error}
        </p>
      )}
    </form>
  );
}

function WhyLeft({ finding }: { finding: Finding }) {
  const { site } = useView();
  const back = useSave((key: string) =>
    ask(client.DELETE("/api/v1/sites/{site}/findings/accepted", { params: { path: { site: site.key }, query: { key } } })),
  );
  return (
    <div className="acts">
      <p>
        “{finding.accepted?.reason}” <span className="quiet">{finding.accepted?.by ?? "somebody who is gone"}</span>
      </p>
      {site.role !== "viewer" && (
        <Button disabled={back.isPending} onClick={() => back.mutate(finding.key)}>
          Restore
        </Button>
      )}
      {back.error && (
        <p className="wrong" role="alert">
          {back.error.message}
        </p>
      )}
    </div>
  );
}
