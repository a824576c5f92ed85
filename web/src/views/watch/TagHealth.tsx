import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Finding, type Fix } from "@/api/client";
import { findingsQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { LedgerToCome } from "@/pieces/Ledger";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { FindingLine } from "@/views/watch/FindingLine";
import { plural, within } from "@/words/format";

/** What is wrong with the tags, what it costs, and how it is mended. */
export function TagHealth() {
  const { site, trouble, again } = useView();
  const findings = useQuery(findingsQuery(site.key));
  const [done, setDone] = useState<{ title: string; fix: Fix } | null>(null);
  const fix = useSave(
    ({ fix, undo }: { fix: Fix; undo: boolean; title: string }) =>
      ask(client.POST("/api/v1/sites/{site}/findings/fix", { params: { path: { site: site.key } }, body: { fix, undo } })),
    (_, given) => setDone(given.undo ? null : given),
  );
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (findings.isError) return <ErrorState error={findings.error} again={() => void findings.refetch()} />;
  const open = findings.data?.filter((one) => !one.accepted) ?? [];
  const accepted = findings.data?.filter((one) => one.accepted) ?? [];
  return (
    <div className="tag health">
      <h1 className="answer" aria-busy={findings.isPending}>
        {findings.data ? message(open) : " "}
      </h1>
      {findings.isPending && <LedgerToCome rows={8} />}
      {done && (
        <p role="status" className="arrived">
          <span>
            Fixed: {within(done.title)}. History is read anew.{" "}
            <Button kind="link" disabled={fix.isPending} onClick={() => fix.mutate({ fix: done.fix, undo: true, title: done.title })}>
              Undo
            </Button>
          </span>
        </p>
      )}
      {fix.error && (
        <p className="wrong" role="alert">
          {fix.error.message}
        </p>
      )}
      {findings.data && findings.data.length === 0 && (
        <p className="empty">The tags of the last 30 days are in order. What goes wrong from now on stands here.</p>
      )}
      <ol className="findings">
        {open.map((one) => (
          <FindingLine
            key={one.key}
            finding={one}
            busy={fix.isPending}
            onFix={(what) => fix.mutate({ fix: what, undo: false, title: one.title })}
          />
        ))}
      </ol>
      {accepted.length > 0 && (
        <section aria-label="Ignored">
          <h2 className="title">Ignored</h2>
          <ol className="findings">
            {accepted.map((one) => (
              <FindingLine key={one.key} finding={one} busy={false} onFix={() => undefined} />
            ))}
          </ol>
        </section>
      )}
    </div>
  );
}

function message(open: Finding[]): string {
  const grave = open.filter((one) => one.severity === "high").length;
  if (!open.length) return "Nothing is wrong with the tags of the last 30 days.";
  return `${plural(open.length, "thing")} to look at in the tags of the last 30 days` + (grave ? `; ${grave} to fix first.` : ".");
}
