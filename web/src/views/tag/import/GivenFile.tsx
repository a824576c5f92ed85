import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useForm } from "react-hook-form";

import { ask, client, type ApiError, type Schemas } from "@/api/client";
import { previewFile, sendHits } from "@/api/files";
import { importsQuery, logReadingQuery, queries } from "@/api/queries";
import { readAnew } from "@/api/readAnew";
import { useUnsaved } from "@/forms/leaving";
import { useJudged, useTyped } from "@/forms/useJudged";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Opener } from "@/ui/Opener";
import { Progress } from "@/ui/states";
import { Actions } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { PreviewList } from "@/views/tag/import/PreviewList";
import { readingGiven, readingTyped, ReadingFields, type ReadingForm } from "@/views/tag/import/ReadingFields";
import { broughtWords, previewWords, type LogReading } from "@/words/imports";

interface GivenFileProps {
  file: File;
  reading: Schemas["ReadingOut"];
  onClose: () => void;
}

/** A file that was chosen: what its first lines would become, what counts in it, and reading it. */
export function GivenFile({ file, reading: { reading: kept, usual }, onClose }: GivenFileProps) {
  const { site } = useSite();
  const form = useForm<ReadingForm>({ defaultValues: readingTyped(kept) });
  const { settled, isSettled } = useTyped(form, 300);
  const given = kept && readingGiven(settled, kept);
  const seen = useQuery({
    queryKey: ["preview", "/api/v1/sites/{site}/import/preview", site.key, file.name, file.lastModified, file.size, given],
    queryFn: () => previewFile(site.key, file, given),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const judged = useJudged(form, seen.error);
  // What was seen last stays while what is typed is wrong.
  const [preview, setPreview] = useState(seen.data);
  if (seen.data && seen.data !== preview) setPreview(seen.data);
  const isLog = preview !== undefined && preview.format !== "json lines";
  const [isOpen, setOpen] = useState(false);
  // What must be said of it before it can be read stays in sight once it is said.
  const isAsked = preview !== undefined && (preview.trouble !== null || preview.begins_with_host);
  useEffect(() => {
    if (isAsked) setOpen(true);
  }, [isAsked]);
  const { reading, sent, cancel } = useReading(file, onClose);
  if (!preview) return seen.error ? <FieldError>{seen.error.detail}</FieldError> : <LedgerSkeleton rows={5} />;
  const isReadable = preview.lines.some((line) => line.becomes !== "refused" && line.becomes !== "nothing");
  const changed = isLog && given && JSON.stringify(given) !== JSON.stringify(kept) ? given : null;
  return (
    <>
      <p role="status">{previewWords(file.name, preview)}</p>
      {isLog && kept && (
        <div className="grid gap-2">
          <Opener isOpen={isOpen} onToggle={() => setOpen(!isOpen)}>
            What counts in it
          </Opener>
          {isOpen && <ReadingFields form={form} judged={judged} preview={preview} hosts={site.rules.hosts} usual={usual} />}
        </div>
      )}
      {judged.trouble && <FieldError>{judged.trouble}</FieldError>}
      {reading.isPending ? (
        <div className="grid max-w-[420px] gap-2">
          <Progress
            label={sent < 1 ? `Sending ${file.name}` : `Reading ${file.name}; how far it is stands below`}
            value={sent < 1 ? sent : null}
          />
          <Actions>
            <Button onClick={cancel}>Cancel</Button>
          </Actions>
        </div>
      ) : (
        <Actions>
          <Button
            kind="primary"
            disabled={!isReadable || !isSettled || seen.isPlaceholderData || seen.isError}
            onClick={() => reading.mutate(changed)}
          >
            Import {file.name}
          </Button>
          <Button onClick={onClose}>Close</Button>
          {changed && <span className="text-label text-ink-2">What counts is kept for the logs that follow.</span>}
          {!isReadable && <span className="text-label text-ink-2">None of its first lines is a hit.</span>}
          {reading.error && <FieldError>{reading.error.detail}</FieldError>}
        </Actions>
      )}
      <PreviewList preview={preview} />
    </>
  );
}

/** Sends a file; whoever goes to another view meanwhile is told what it brought. */
function useReading(file: File, onDone: () => void) {
  const { site } = useSite();
  const [sent, setSent] = useState(0);
  const stop = useRef<AbortController | null>(null);
  const reading = useMutation<Schemas["ImportOut"], ApiError, LogReading | null>({
    mutationFn: async (changed) => {
      setSent(0);
      if (changed) {
        const saved = await ask(client.PUT("/api/v1/sites/{site}/import/reading", { params: { path: { site: site.key } }, body: changed }));
        // The next file is looked at by what is kept now, even while this one is still read.
        queries.setQueryData(logReadingQuery(site.key).queryKey, saved);
      }
      stop.current = new AbortController();
      const onSent = (share: number) => {
        setSent(share);
        // Once all of it is there it is in the list, which then follows it.
        if (share >= 1) window.setTimeout(() => void readAnew(queries, "imports"), 700);
      };
      return sendHits(site.key, file, { signal: stop.current.signal, onSent });
    },
    onSuccess: (brought) => {
      notify(brought.broken_off ?? broughtWords({ ...brought, name: file.name }));
      onDone();
      void readAnew(queries, "everything");
    },
    onError: () => void queries.invalidateQueries({ queryKey: importsQuery(site.key).queryKey }),
  });
  useUnsaved(reading.isPending && sent < 1);
  return { reading, sent, cancel: () => stop.current?.abort() };
}
