import { useQuery } from "@tanstack/react-query";
import { flushSync } from "react-dom";

import { ask, client, type Segment, type SegmentPart, type StoredSegment } from "@/api/client";
import { segmentSizeQuery } from "@/api/queries";
import { EntryField, EntryForm, EntryGroup } from "@/forms/EntryForm";
import { useLeave } from "@/forms/leaving";
import { useEntry, useHeld } from "@/forms/useEntry";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Input, Textarea } from "@/ui/Field";
import { Sides } from "@/ui/layout";
import { Answer } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { Chosen } from "@/views/shared/Chosen";
import { draftOf, faultsOf, faultsSaid, segmentOfDraft, type SegmentDraft } from "@/views/explain/segments/draft";
import { GroupLines } from "@/views/explain/segments/GroupLines";
import { SegmentSize } from "@/views/explain/segments/SegmentSize";
import { segmentWords } from "@/words/segments";

interface SegmentEditorProps {
  /** The one that is changed; without it a new one is written. */
  stored: StoredSegment | null;
  /** What a new one begins with. */
  begins: Segment | null;
  onUse: (part: SegmentPart) => void;
  onDone: () => void;
  onArchive: () => void;
}

const NOTHING: Segment = { of: "visits", where: { kind: "group", of: "all", conditions: [] } };
const UNITS = [
  { value: "visits", label: "visits" },
  { value: "people", label: "people" },
];

/** Writes a segment, and says meanwhile what it says and how many it holds. */
export function SegmentEditor({ stored, begins, onUse, onDone, onArchive }: SegmentEditorProps) {
  const { site, registry, segments } = useSite();
  const { period, goal } = useView();
  const leave = useLeave();
  const canEdit = can(site, "edit");
  const entry = useEntry<SegmentDraft & { name: string; note: string }, StoredSegment>({
    touches: "everything",
    values: { name: stored?.name ?? "", note: stored?.note ?? "", ...draftOf(stored?.segment ?? begins ?? NOTHING) },
    check: ({ name, where }) => ({
      ...(name.trim() ? {} : { name: "Give it a name." }),
      ...(Object.keys(faultsOf(where)).length ? { where: "Say what is missing in the lines above." } : {}),
    }),
    send: ({ name, note, ...draft }) => {
      const body = { name, note, segment: segmentOfDraft(draft) };
      const path = { site: site.key };
      return stored
        ? ask(client.PUT("/api/v1/sites/{site}/segments/{segment}", { params: { path: { ...path, segment: stored.id } }, body }))
        : ask(client.POST("/api/v1/sites/{site}/segments", { params: { path }, body }));
    },
    after: (saved) => {
      notify(`${saved.name} was saved.`);
      onDone();
    },
  });
  const { of, where } = useHeld(entry);
  const missing = faultsOf(where);
  const segment = segmentOfDraft({ of, where });
  const isWhole = Object.keys(missing).length === 0;
  const text = JSON.stringify(segment);
  const settledText = useDebouncedValue(text, 250);
  const settled = JSON.parse(settledText) as Segment;
  const size = useQuery({
    ...segmentSizeQuery(site.key, { period, goal: goal?.id ?? null, segment: settled }),
    enabled: isWhole && Object.keys(faultsOf(draftOf(settled).where)).length === 0,
  });
  const refused = size.error ? faultsSaid(size.error.errors) : {};
  const { submitCount, errors } = entry.form.formState;
  const faults = { ...refused, ...(submitCount ? missing : {}) };
  const words = segmentWords(segment, { registry, segments });
  const use = () => {
    const isSaved = stored && !entry.form.formState.isDirty;
    // What is used stands in the address, so nothing is lost by leaving.
    flushSync(() => entry.form.reset(entry.form.getValues()));
    onUse(isSaved ? { kind: "saved", id: stored.id } : { kind: "segment", segment });
  };
  const usedIn = stored?.used_in ?? [];
  return (
    <Sides className="min-[1000px]:!grid-cols-[minmax(0,1.9fr)_minmax(0,1fr)]">
      <Answer>{words}.</Answer>
      <EntryForm
        entry={entry}
        label={stored ? `The segment ${stored.name}` : "A new segment"}
        canEdit={canEdit}
        className="content-start gap-3"
        foot={
          <>
            {canEdit && (
              <Button type="submit" kind="primary" disabled={entry.isSending}>
                Save
              </Button>
            )}
            <Button disabled={!isWhole} title={isWhole ? undefined : "Say first what is missing"} onClick={use}>
              {stored && !entry.form.formState.isDirty ? "Use" : "Use without saving"}
            </Button>
            <Button onClick={() => leave(onDone)}>Close</Button>
            {stored && canEdit && !stored.archived && (
              <Button
                disabled={usedIn.length > 0}
                title={usedIn.length ? "It is used, so it cannot be archived" : undefined}
                onClick={onArchive}
              >
                Archive …
              </Button>
            )}
          </>
        }
      >
        <p className="text-ink-2">
          A segment of{" "}
          <Chosen
            label="Of what"
            value={of}
            options={UNITS}
            onChange={(to) => entry.form.setValue("of", to as SegmentDraft["of"], { shouldDirty: true })}
          />
          {of === "visits" ? ", each judged whole." : ", with all they did in the days that are read."}
        </p>
        <EntryGroup entry={entry} name="where" of="segment">
          {({ value, onChange }) => (
            <div>
              <GroupLines group={value} set={onChange} faults={faults} own={stored?.id ?? null} />
              {errors.where?.message && !isWhole && (
                <p className="text-label text-rust" role="alert">
                  {errors.where.message}
                </p>
              )}
            </div>
          )}
        </EntryGroup>
        <div className="grid max-w-[640px] grid-cols-2 items-start gap-3 max-[560px]:grid-cols-1">
          <EntryField entry={entry} name="name" label="Name">
            {(control) => <Input {...control} />}
          </EntryField>
          <EntryField entry={entry} name="note" label="Note">
            {(control) => <Textarea {...control} rows={1} />}
          </EntryField>
        </div>
        {usedIn.length > 0 && (
          <p className="text-ink-2">
            Used in {usedIn.map((one) => (one.kind === "segment" ? `the segment “${one.name}”` : `the logbook’s “${one.name}”`)).join(", ")}
            : what is saved here changes there too.
          </p>
        )}
      </EntryForm>
      {!isWhole ? (
        <p className="text-ink-2">How many it holds stands here as soon as every line says something.</p>
      ) : size.error ? (
        <p className="text-rust" role="alert">
          {size.error.detail}
        </p>
      ) : size.data ? (
        <SegmentSize segment={settled} size={size.data} isStale={size.isFetching || settledText !== text} />
      ) : (
        <LedgerSkeleton rows={5} />
      )}
    </Sides>
  );
}
