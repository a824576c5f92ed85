import { useQuery } from "@tanstack/react-query";

import { ask, client } from "@/api/client";
import { sortingHistoryQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { ErrorState } from "@/ui/states";
import { moment } from "@/words/format";
import { ChangeLines } from "@/views/shared/ChangeLines";
import { changeWords, sameSorting, type SortingState } from "@/words/sorting";

/** What was changed of aliases, channels and hosts ignored as a source, wherever it was done, and the ways back. */
export function SortingHistory({ onBack }: { onBack: (state: SortingState) => void }) {
  const { site } = useSite();
  const history = useQuery(sortingHistoryQuery(site.key));
  const path = { site: site.key };
  const back = useSave(
    "everything",
    async (state: SortingState) => {
      const { ignored_hosts, ...sorting } = state;
      if (!sameSorting(sorting, site.rules))
        await ask(client.PUT("/api/v1/sites/{site}/sorting", { params: { path }, body: { ...sorting, was: null } }));
      const now = site.rules.ignored_hosts;
      const changed = [...now.filter((host) => !ignored_hosts.includes(host)), ...ignored_hosts.filter((host) => !now.includes(host))];
      for (const host of changed) {
        const body = { fix: { kind: "ignored host" as const, host }, undo: now.includes(host) };
        await ask(client.POST("/api/v1/sites/{site}/findings/fix", { params: { path }, body }));
      }
      return state;
    },
    onBack,
  );
  if (history.isError) return <ErrorState error={history.error} again={() => void history.refetch()} />;
  return (
    <Part title="History" aria-label="History">
      {history.data?.length === 0 && <p className="text-ink-2">Nothing has been changed yet.</p>}
      {back.error && <FieldError>{back.error.detail}</FieldError>}
      <ol className="grid gap-2.5">
        {history.data?.map(({ id, at, by, before, after }, place) => {
          // Which hosts are ignored as a source is a setting of the owners.
          const isMine = can(site, "own") || before.ignored_hosts.join() === site.rules.ignored_hosts.join();
          return (
            <li key={id}>
              <span className="text-ink-2">
                {moment(Date.parse(at), site.timezone)}, {by ?? "a removed account"}
              </span>
              <ChangeLines lines={changeWords(before, after)} />
              {can(site, "edit") && isMine && (
                <Button kind="link" disabled={back.isPending} onClick={() => back.mutate(before)}>
                  {place === 0 ? "Undo" : "Undo this and all after it"}
                </Button>
              )}
            </li>
          );
        })}
      </ol>
    </Part>
  );
}
