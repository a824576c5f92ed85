import { Part } from "@/ui/layout";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "@/api/client";
import { comparedRulesQuery } from "@/api/queries";
import { Confirm } from "@/ui/Dialog";
import { Field } from "@/ui/Field";
import { ErrorState } from "@/ui/states";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { moment, plural } from "@/words/format";
import { ChangeLines } from "@/views/shared/ChangeLines";
import { changeLines, type RuleChange } from "@/words/rules";

type Version = Schemas["VersionOut"];
const FEW = 6;

/** Changes in a few words each. */
export function Changes({ changes }: { changes: RuleChange[] }) {
  return <ChangeLines lines={changes.flatMap(changeLines)} />;
}

interface VersionsProps {
  versions: Version[];
  busy: boolean;
  onBack: (number: number) => void;
}

/** What was live before, what was another between any two, and going back. */
export function Versions({ versions, busy, onBack }: VersionsProps) {
  const { site } = useSite();
  const canEdit = can(site, "edit");
  const [all, setAll] = useState(false);
  const [back, setBack] = useState<Version | null>(null);
  const [live] = versions;
  return (
    <Part isWide title="Versions" aria-label="Versions">
      {!live && <p className="text-ink-2">Nothing has been live yet.</p>}
      <ol className="grid gap-2.5">
        {versions.slice(0, all ? undefined : FEW).map((version) => (
          <li key={version.number}>
            <b>Version {version.number}</b>
            {version === live && <span className="font-semibold text-kelp"> live</span>}
            <span className="text-ink-2">
              , {moment(Date.parse(version.at), site.timezone)}, {version.by ?? "a removed account"}, {plural(version.rules.length, "rule")}
            </span>
            {canEdit && version !== live && (
              <Button kind="link" className="ml-2" disabled={busy} onClick={() => setBack(version)}>
                Restore …
              </Button>
            )}
            {version.note && <p>{version.note}</p>}
            <Changes changes={version.changes} />
          </li>
        ))}
      </ol>
      {versions.length > FEW && (
        <Button onClick={() => setAll(!all)}>{all ? "Only the newest" : `And ${versions.length - FEW} older`}</Button>
      )}
      {live && versions.length > 1 && <Comparison versions={versions} />}
      <Confirm
        open={back !== null}
        title={`Restore version ${back?.number ?? ""}?`}
        verb="Restore"
        busy={busy}
        onDo={() => {
          if (back) onBack(back.number);
          setBack(null);
        }}
        onClose={() => setBack(null)}
      >
        Its {plural(back?.rules.length ?? 0, "rule")} become version {(live?.number ?? 0) + 1}, for every visitor within five minutes. The
        draft stays, and nothing is lost.
      </Confirm>
    </Part>
  );
}

function Comparison({ versions }: { versions: Version[] }) {
  const { site } = useSite();
  const newest = versions[0]?.number ?? 0;
  const [before, setBefore] = useState(newest - 1);
  const [after, setAfter] = useState(newest);
  const found = useQuery(comparedRulesQuery(site.key, before, after));
  const choice = (label: string, value: number, set: (number: number) => void) => (
    <Field label={label}>
      {(control) => (
        <Select
          {...control}
          value={String(value)}
          onChange={(to) => set(Number(to))}
          options={[
            { value: "0", label: "the draft" },
            ...versions.map(({ number }) => ({ value: String(number), label: `version ${number}` })),
          ]}
        />
      )}
    </Field>
  );
  return (
    <div className="grid gap-2" role="group" aria-label="What changed between two">
      <div className="grid grid-cols-2 items-start gap-x-3 gap-y-2">
        {choice("What changed from", before, setBefore)}
        {choice("to", after, setAfter)}
      </div>
      {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
      {found.isPending && <p aria-busy="true">Comparing …</p>}
      {found.data?.length === 0 && <p className="text-ink-2">Nothing; they hold the same rules.</p>}
      {found.data && found.data.length > 0 && <Changes changes={found.data} />}
    </div>
  );
}
