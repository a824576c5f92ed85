import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ApiError, ask, client } from "@/api/client";
import { sortingHistoryQuery, sortingPreviewQuery, tableQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { ErrorState } from "@/pieces/ErrorState";
import { completeDays, useView } from "@/state/view";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { Button } from "@/ui/Button";
import { Aliases } from "@/views/tag/Aliases";
import { ChannelList } from "@/views/tag/ChannelList";
import { figure, moment } from "@/words/format";
import { changeWords, moveWords, sameSorting, shareWords, type Sorting } from "@/words/sorting";

/** How values are tidied and sorted into channels, and what another way of sorting would move. */
export function Channels() {
  const { site, trouble, again } = useView();
  const value: Sorting = { aliases: site.rules.aliases, channels: site.rules.channels };
  const [draft, setDraft] = useState(value);
  const [began, setBegan] = useState(value);
  const canEdit = site.role !== "viewer";
  const save = useSave(
    (body: Sorting & { was: Sorting | null }) =>
      ask(client.PUT("/api/v1/sites/{site}/sorting", { params: { path: { site: site.key } }, body })),
    (saved) => {
      setDraft(saved);
      setBegan(saved);
    },
  );
  const set = (change: Partial<Sorting>) => {
    save.reset();
    setDraft({ ...draft, ...change });
  };
  const counts = useVisitsBy(site.key, site.today);
  const unsorted = counts.get("Unsorted") ?? 0;
  if (trouble) return <ErrorState error={trouble} again={again} />;
  const faults = fieldErrors(save.error, ["aliases", "channels"]);
  const changed = !sameSorting(draft, began);
  return (
    <div className="tag sides">
      <h1 className="answer">
        {unsorted > 0
          ? `${figure(unsorted, "count")} visits in 90 days fit no channel. Give their medium a channel, or say what it is the same as.`
          : "Every visit of the last 90 days fits a channel."}
      </h1>
      <div className="parts">
        <ChannelList channels={draft.channels} counts={counts} canEdit={canEdit} error={faults.of} set={(channels) => set({ channels })} />
        <Aliases aliases={draft.aliases} canEdit={canEdit} error={faults.of} set={(aliases) => set({ aliases })} />
      </div>
      <aside className="parts stays">
        <section aria-label="What changes">
          <h2 className="title">What changes</h2>
          {changed ? (
            <WhatMoves draft={draft} />
          ) : (
            <p className="quiet">
              Change a channel or an alias, and what moves in the last 90 days stands here before anything is saved. History is read anew by
              it.
            </p>
          )}
          {save.error && (
            <p className="wrong" role="alert">
              {faults.all ?? "Nothing was saved; what is wrong stands beside its line."}
            </p>
          )}
          {canEdit && (
            <div className="end">
              <Button kind="primary" disabled={!changed || save.isPending} onClick={() => save.mutate({ ...draft, was: began })}>
                {save.isPending ? "Saving …" : "Save"}
              </Button>
              <Button
                disabled={!changed}
                onClick={() => {
                  save.reset();
                  setDraft(value);
                  setBegan(value);
                }}
              >
                Cancel
              </Button>
              <span role="status" className="quiet">
                {save.isSuccess && !changed && "Saved; history is read anew."}
              </span>
            </div>
          )}
        </section>
        <History canEdit={canEdit} onTake={(version) => save.mutate({ ...version, was: null })} />
      </aside>
    </div>
  );
}

/** Visits of the last 90 days by channel. */
function useVisitsBy(site: string, today: string): Map<string, number> {
  const asked = { period: completeDays(today, 90), versus: "none" as const, goal: null, filters: [] };
  const table = useQuery(
    tableQuery(site, { ...asked, dimensions: ["channel"], measures: ["visits"], descending: true, limit: 1000 }, { live: false }),
  );
  return new Map(table.data?.rows.map((row) => [row.keys[0] ?? "", row.values["visits"] ?? 0]));
}

const MAX_SHOWN = 8;

function WhatMoves({ draft }: { draft: Sorting }) {
  const { site } = useView();
  const settled = useDebouncedValue(draft, 400);
  const preview = useQuery(sortingPreviewQuery(site.key, settled));
  if (preview.isError) {
    const [first] = preview.error instanceof ApiError ? (preview.error.problem.errors ?? []) : [];
    return <p className="quiet">{first ? `A line is not whole yet: ${first.text}.` : preview.error.message}</p>;
  }
  const found = preview.data;
  if (!found) return <p aria-busy="true">Reading the last 90 days …</p>;
  return (
    <div className="arrived" role="status" aria-busy={preview.isFetching || settled !== draft}>
      <p>
        <b>{shareWords(found.moved, found.visits)}</b> change in the last 90 days.
      </p>
      <ul>
        {found.moves.slice(0, MAX_SHOWN).map((move) => (
          <li key={`${move.field} ${move.was} ${move.becomes}`}>{moveWords(move)}.</li>
        ))}
      </ul>
      {found.moves.length > MAX_SHOWN && <p className="quiet">And {found.moves.length - MAX_SHOWN} smaller changes.</p>}
    </div>
  );
}

function History({ canEdit, onTake }: { canEdit: boolean; onTake: (version: Sorting) => void }) {
  const { site } = useView();
  const history = useQuery(sortingHistoryQuery(site.key));
  if (history.isError) return <ErrorState error={history.error} again={() => void history.refetch()} />;
  return (
    <section aria-label="History">
      <h2 className="title">History</h2>
      {history.data?.length === 0 && <p className="quiet">Nothing has been changed yet.</p>}
      <ol className="history">
        {history.data?.map((change, place) => (
          <li key={change.id}>
            <span className="quiet">
              {moment(Date.parse(change.at), site.timezone)}, {change.by ?? "somebody who is gone"}
            </span>
            <br />
            {changeWords(change.before, change.after).join("; ") || "nothing that shows"}
            {canEdit && (
              <Button kind="link" className="ml-2" onClick={() => onTake(change.before)}>
                {place === 0 ? "Undo" : "Go back to before this"}
              </Button>
            )}
          </li>
        ))}
      </ol>
    </section>
  );
}
