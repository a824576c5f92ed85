import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { importsQuery, logReadingQuery } from "@/api/queries";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";
import { Part, Stack } from "@/ui/layout";
import { EmptyNote, ViewError } from "@/ui/states";
import { Actions, Answer } from "@/ui/text";
import { GivenFile } from "@/views/tag/import/GivenFile";
import { ImportList } from "@/views/tag/import/ImportList";
import { plural } from "@/words/format";

/** Hits from files: server logs and JSON Lines, looked at before they are stored, and taken back where they were wrong. */
export function Import() {
  const { site } = useSite();
  const found = useQuery(importsQuery(site.key));
  const reading = useQuery(logReadingQuery(site.key));
  const trouble = found.error ?? reading.error;
  if (trouble) return <ViewError error={trouble} again={() => void (found.error ? found : reading).refetch()} />;
  const standing = (found.data ?? []).filter((one) => one.state !== "undone");
  const stored = standing.reduce((sum, one) => sum + one.stored, 0);
  return (
    <Stack isWide>
      <Answer aria-busy={found.isPending}>
        {!found.data
          ? " "
          : standing.length
            ? `${plural(stored, "hit")} of ${site.name} came from ${plural(standing.length, "file")}.`
            : `No file of ${site.name} was imported yet.`}
      </Answer>
      {can(site, "own") && reading.data && <Choice key={site.key} reading={reading.data} />}
      {!can(site, "own") && <p className="text-ink-2">You can see what was imported; the site’s owners import files.</p>}
      <Part isWide title="Imported files" aria-label="Imported files">
        {!found.data ? (
          <LedgerSkeleton rows={3} />
        ) : found.data.length ? (
          <ImportList imports={found.data} />
        ) : (
          <EmptyNote>Each file is listed here with what it brought, and can be undone as a whole.</EmptyNote>
        )}
      </Part>
    </Stack>
  );
}

function Choice({ reading }: { reading: Parameters<typeof GivenFile>[0]["reading"] }) {
  const chooser = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);
  return (
    <Part isWide title="A file" aria-label="A file to import">
      <p className="max-w-[78ch] text-ink-2">
        A log of your server (NCSA common or combined, W3C extended), or hits as JSON Lines, one a line; plain or gzipped. A site without
        any tags can be read from its logs. Nothing is stored before you have seen what the file holds.
      </p>
      <Actions>
        <Button kind={file ? "plain" : "primary"} onClick={() => chooser.current?.click()}>
          {file ? "Choose another file …" : "Choose a file …"}
        </Button>
        <Input
          ref={chooser}
          type="file"
          className="sr-only"
          tabIndex={-1}
          aria-label="A file with hits"
          onChange={(event) => {
            setFile(event.target.files?.[0] ?? null);
            event.target.value = "";
          }}
        />
      </Actions>
      {file && (
        <GivenFile
          key={`${file.name} ${file.lastModified} ${file.size}`}
          file={file}
          reading={reading}
          // One that is read to its end closes itself, never the one that was chosen meanwhile.
          onClose={() => setFile((now) => (now === file ? null : now))}
        />
      )}
    </Part>
  );
}
