import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { useWatch } from "react-hook-form";

import { ask, client } from "@/api/client";
import { sortingPreviewQuery, tableQuery } from "@/api/queries";
import { EntryFoot, EntryForm, EntryGroup } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { can } from "@/state/can";
import { lastDays } from "@/state/days";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Part, Sides } from "@/ui/layout";
import { ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { Moves } from "@/views/shared/Moves";
import { Aliases } from "@/views/tag/Aliases";
import { ChannelList } from "@/views/tag/ChannelList";
import { SortingHistory } from "@/views/tag/SortingHistory";
import { figure } from "@/words/format";
import type { Sorting } from "@/words/sorting";

const FORM = "Channels and aliases";

/** How values are tidied and sorted into channels, and what another way of sorting would move. */
export function Channels() {
  const { site, trouble, again } = useSite();
  const canEdit = can(site, "edit");
  const entry = useEntry<Sorting, Sorting>({
    touches: "everything",
    values: { aliases: site.rules.aliases, channels: site.rules.channels },
    send: (sorting, was) =>
      ask(client.PUT("/api/v1/sites/{site}/sorting", { params: { path: { site: site.key } }, body: { ...sorting, was } })),
    becomes: (saved) => saved,
  });
  const [aliases, channels] = useWatch({ control: entry.form.control, name: ["aliases", "channels"] });
  const draft = useMemo(() => ({ aliases, channels }), [aliases, channels]);
  const counts = useVisitsBy(site.key, site.today);
  const unsorted = counts.get("Unsorted") ?? 0;
  const { isDirty: changed, errors } = entry.form.formState;
  const isWrong = Boolean(errors.channels ?? errors.aliases);
  if (trouble) return <ViewError error={trouble} again={again} />;
  return (
    <Sides>
      <Answer>
        {unsorted > 0
          ? `${figure(unsorted, "count")} visits in 90 days fit no channel. Give their medium a channel, or say what it is the same as.`
          : "Every visit of the last 90 days fits a channel."}
      </Answer>
      <EntryForm entry={entry} label={FORM}>
        <div className="grid min-w-0 gap-5">
          <EntryGroup entry={entry} name="channels">
            {({ value, onChange }) => (
              <ChannelList channels={value} counts={counts} canEdit={canEdit} error={entry.errorOf} set={onChange} />
            )}
          </EntryGroup>
          <EntryGroup entry={entry} name="aliases">
            {({ value, onChange }) => <Aliases aliases={value} canEdit={canEdit} error={entry.errorOf} set={onChange} />}
          </EntryGroup>
        </div>
        <aside className="grid min-w-0 gap-5 min-[1000px]:sticky min-[1000px]:top-3">
          <Part title="What changes" aria-label="What changes">
            {changed ? (
              <WhatMoves draft={draft} />
            ) : (
              <p className="text-ink-2">
                Change a channel or an alias, and what moves in the last 90 days stands here before anything is saved. History is read anew
                by it.
              </p>
            )}
            {canEdit && (
              <EntryFoot entry={entry} label={FORM}>
                {isWrong && !entry.trouble && <FieldError>Nothing was saved; what is wrong stands beside its line.</FieldError>}
                <Button type="submit" kind="primary" disabled={!changed || entry.isSending}>
                  {entry.isSending ? "Saving …" : "Save"}
                </Button>
                <Button disabled={!changed} onClick={entry.cancel}>
                  Cancel
                </Button>
                <span role="status" className="text-ink-2">
                  {entry.isSent && "Saved; history is read anew."}
                </span>
              </EntryFoot>
            )}
          </Part>
          <SortingHistory onBack={({ aliases, channels }) => entry.form.reset({ aliases, channels })} />
        </aside>
      </EntryForm>
    </Sides>
  );
}

/** Visits of the last 90 days by channel. */
function useVisitsBy(site: string, today: string): Map<string, number> {
  const asked = { period: lastDays(today, 90), versus: "none" as const, goal: null, segment: null };
  const table = useQuery(
    tableQuery(site, { ...asked, dimensions: ["channel"], measures: ["visits"], descending: true, limit: 1000 }, { live: false }),
  );
  return new Map(table.data?.rows.map((row) => [row.keys[0] ?? "", row.values["visits"] ?? 0]));
}

function WhatMoves({ draft }: { draft: Sorting }) {
  const { site } = useSite();
  const settled = useDebouncedValue(draft, 400);
  const preview = useQuery(sortingPreviewQuery(site.key, settled));
  if (preview.isError) {
    const [first] = preview.error?.errors ?? [];
    return <p className="text-ink-2">{first ? `This cannot be saved yet: ${first.text}.` : preview.error.detail}</p>;
  }
  const found = preview.data;
  if (!found) return <p aria-busy="true">Reading the last 90 days …</p>;
  return <Moves found={found} isStale={preview.isFetching || settled !== draft} />;
}
