import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Finding, type Fix } from "@/api/client";
import { findingsQuery, fixedQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Part, Stack } from "@/ui/layout";
import { EmptyNote, ErrorState, ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { FindingLine } from "@/views/watch/FindingLine";
import { fixWords } from "@/words/fixes";
import { moment, plural } from "@/words/format";

type Change = (one: { fix: Fix; undo: boolean; key?: string; place?: number }) => void;

/** What is wrong with the tags, what it costs, and how it is fixed. */
export function TagHealth() {
  const { site, trouble, again } = useSite();
  const findings = useQuery(findingsQuery(site.key));
  const [done, setDone] = useState<Fixed[]>([]);
  const fix = useSave(
    "everything",
    ({ fix, undo }: Parameters<Change>[0]) =>
      ask(client.POST("/api/v1/sites/{site}/findings/fix", { params: { path: { site: site.key } }, body: { fix, undo } })),
    (_, { fix, undo, key, place }) =>
      setDone((now) =>
        undo
          ? now.filter((other) => fixWords(other.fix) !== fixWords(fix))
          : [...now, { key: key ?? fixWords(fix), place: place ?? 0, fix }],
      ),
  );
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (findings.isError) return <ViewError error={findings.error} again={() => void findings.refetch()} />;
  const open = findings.data?.filter((one) => !one.accepted) ?? [];
  const accepted = findings.data?.filter((one) => one.accepted) ?? [];
  return (
    <Stack>
      <Answer aria-busy={findings.isPending}>{findings.data ? message(open) : " "}</Answer>
      {findings.isPending && <LedgerSkeleton rows={8} />}
      {fix.error && <FieldError>{fix.error.detail}</FieldError>}
      {findings.data && findings.data.length === 0 && (
        <EmptyNote>The tags of the last 30 days are in order. What goes wrong from now on stands here.</EmptyNote>
      )}
      <ol aria-label="Findings">
        {withFixed(open, done).map((one) =>
          "place" in one ? (
            <li key={one.key} className="border-b border-hairline py-2.5" role="status">
              Fixed: {fixWords(one.fix)}. History is read anew.{" "}
              <Button kind="link" disabled={fix.isPending} onClick={() => fix.mutate({ fix: one.fix, undo: true })}>
                Undo
              </Button>
            </li>
          ) : (
            <FindingLine
              key={one.key}
              finding={one}
              busy={fix.isPending}
              onFix={(what) => fix.mutate({ key: one.key, place: open.indexOf(one), fix: what, undo: false })}
            />
          ),
        )}
      </ol>
      <EarlierFixes shown={done} busy={fix.isPending} onUndo={(what) => fix.mutate({ fix: what, undo: true })} />
      {accepted.length > 0 && (
        <Part isWide title="Ignored" aria-label="Ignored">
          <ol>
            {accepted.map((one) => (
              <FindingLine key={one.key} finding={one} busy={false} onFix={() => undefined} />
            ))}
          </ol>
        </Part>
      )}
    </Stack>
  );
}

/** What was fixed, in the place where it stood. */
interface Fixed {
  key: string;
  fix: Fix;
  place: number;
}

/** What was fixed before and still holds; what was fixed just now stands where it was. */
function EarlierFixes({ shown, busy, onUndo }: { shown: Fixed[]; busy: boolean; onUndo: (fix: Fix) => void }) {
  const { site } = useSite();
  const fixed = useQuery(fixedQuery(site.key));
  if (fixed.isError) return <ErrorState error={fixed.error} again={() => void fixed.refetch()} />;
  const now = new Set(shown.map((one) => fixWords(one.fix)));
  const earlier = fixed.data?.filter((one) => !now.has(fixWords(one.fix))) ?? [];
  if (!earlier.length) return null;
  return (
    <Part isWide title="Fixed" aria-label="Fixed">
      <ol>
        {earlier.map(({ fix, by, at }) => (
          <li key={fixWords(fix)} className="flex flex-wrap items-baseline gap-x-3 border-b border-hairline py-1.5">
            <span className="wrap-anywhere">{fixWords(fix)}</span>
            <span className="text-ink-2">
              {moment(Date.parse(at), site.timezone)}, {by ?? "a removed account"}
            </span>
            {can(site, fix.kind === "ignored host" ? "own" : "edit") && (
              <Button kind="link" className="ml-auto" disabled={busy} onClick={() => onUndo(fix)}>
                Undo
              </Button>
            )}
          </li>
        ))}
      </ol>
    </Part>
  );
}

function withFixed(open: Finding[], done: Fixed[]): (Finding | Fixed)[] {
  const all: (Finding | Fixed)[] = open.filter((one) => !done.some((other) => other.key === one.key));
  for (const one of [...done].sort((a, b) => a.place - b.place)) all.splice(one.place, 0, one);
  return all;
}

function message(open: Finding[]): string {
  const grave = open.filter((one) => one.severity === "high").length;
  if (!open.length) return "Nothing is wrong with the tags of the last 30 days.";
  return `${plural(open.length, "thing")} to look at in the tags of the last 30 days` + (grave ? `; ${grave} to fix first.` : ".");
}
