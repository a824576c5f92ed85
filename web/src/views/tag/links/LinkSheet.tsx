import { useMutation, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { askSheet, askTemplate, judgeSheet } from "@/api/sheets";
import { useSave } from "@/api/useSave";
import { useUnsaved } from "@/forms/leaving";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { FieldError, Input } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { Actions } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { download } from "@/words/download";
import { plural } from "@/words/format";
import { isGood, readWords, sheetCounts } from "@/words/links";

type Sheet = Schemas["SheetAnswer"];

/** Many links from a CSV file: looked at line by line, then saved, or handed back finished. */
export function LinkSheet() {
  const { site } = useSite();
  const chooser = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);
  const template = useMutation({
    mutationFn: () => askTemplate(site.key),
    onSuccess: (text) => download(text, "links-template.csv", "text/csv"),
  });
  return (
    <Part isWide title="Many links from a CSV file" aria-label="Links of a CSV file">
      <p className="text-ink-2">
        A line for each link, under the heads address (or url), source, medium, campaign, content, term, label and note. Nothing is saved
        before you have seen what it makes.
      </p>
      <Actions>
        <Button onClick={() => chooser.current?.click()}>{file ? "Choose another file …" : "Choose a file …"}</Button>
        <Button kind="link" disabled={template.isPending} onClick={() => template.mutate()}>
          Template
        </Button>
        <Input
          ref={chooser}
          type="file"
          accept=".csv,text/csv"
          className="sr-only"
          tabIndex={-1}
          aria-label="A CSV file with links"
          onChange={(event) => {
            setFile(event.target.files?.[0] ?? null);
            event.target.value = "";
          }}
        />
        {template.error && <FieldError>{template.error.detail}</FieldError>}
      </Actions>
      {file && <Judged key={`${file.name} ${file.lastModified} ${file.size}`} file={file} onClose={() => setFile(null)} />}
    </Part>
  );
}

function Judged({ file, onClose }: { file: File; onClose: () => void }) {
  const { site } = useSite();
  const [byVocabulary, setByVocabulary] = useState(false);
  const judged = useQuery({
    queryKey: ["sheet", "/api/v1/sites/{site}/links/csv", site.key, file.name, file.lastModified, file.size, byVocabulary],
    queryFn: () => judgeSheet(site.key, file, byVocabulary),
    retry: false,
  });
  const finish = useMutation({
    mutationFn: () => askSheet(site.key, file, byVocabulary),
    onSuccess: (text) => download(text, "links.csv", "text/csv"),
  });
  const save = useSave(
    "links",
    (drafts: Schemas["NotedDraft"][]) =>
      ask(client.POST("/api/v1/sites/{site}/links", { params: { path: { site: site.key } }, body: { drafts, note: "" } })),
    (made) => {
      notify(`${plural(made.length, "link")} of ${file.name} ${made.length === 1 ? "is" : "are"} in the library.`);
      onClose();
    },
  );
  useUnsaved(judged.isSuccess && can(site, "edit"));
  if (judged.error) return <FieldError>{judged.error.detail}</FieldError>;
  if (!judged.data) return <LedgerSkeleton rows={5} />;
  const { lines, links, read_as } = judged.data;
  const counts = sheetCounts(lines, links);
  const whole = links.filter((link) => link.url);
  const error = save.error ?? finish.error;
  return (
    <>
      <p role="status">
        <b>{plural(lines.length, "line")}</b> of {file.name}, read as {read_as}, {lines.length === 1 ? "makes" : "make"}{" "}
        {plural(links.length, "link")}: {counts.good} good, {counts.remarked} with remarks, {counts.wrong} wrong.
      </p>
      <Checkbox
        label="Use the vocabulary’s words where one is near"
        hint="News Letter becomes letter, if the vocabulary has letter"
        checked={byVocabulary}
        onChange={setByVocabulary}
      />
      <SheetList sheet={judged.data} />
      <Actions>
        {can(site, "edit") && (
          <Button
            kind="primary"
            disabled={!whole.length || save.isPending}
            onClick={() => save.mutate(whole.map((link) => ({ ...link.draft, note: lines[link.place]?.draft?.note ?? "" })))}
          >
            Save {plural(whole.length, "link")} to the library
          </Button>
        )}
        <Button disabled={finish.isPending} onClick={() => finish.mutate()}>
          Save as a CSV file
        </Button>
        <Button onClick={onClose}>Close</Button>
        {error && <FieldError>{error.detail}</FieldError>}
      </Actions>
    </>
  );
}

interface SheetRow {
  id: string;
  line: number;
  made: string;
  channel: string;
  state: "good" | "remarks" | "wrong";
  said: string;
}

function rowsOf({ lines, links }: Sheet): SheetRow[] {
  const made = links.map((link, i): SheetRow => {
    const there = link.registered ? ["the library has it already"] : [];
    const said = [...link.remarks.map((one) => `${one.field}: ${one.text}`), ...there].join("; ");
    const state = !link.url ? "wrong" : isGood(link) ? "good" : "remarks";
    return {
      id: String(i),
      line: lines[link.place]?.line ?? 0,
      made: link.url ?? readWords(link.draft),
      channel: link.channel,
      state,
      said,
    };
  });
  const none = lines.flatMap(({ line, wrong }): SheetRow[] =>
    wrong ? [{ id: `line ${line}`, line, made: "", channel: "", state: "wrong", said: wrong }] : [],
  );
  return [...made, ...none].sort((a, b) => a.line - b.line);
}

function SheetList({ sheet }: { sheet: Sheet }) {
  return (
    <List
      name="Lines of the file"
      what="a line"
      rows={rowsOf(sheet)}
      rowId={(row) => row.id}
      sort={{ by: "line", descending: false }}
      columns={[
        { id: "line", head: "Line", width: 60, value: (row) => row.line },
        { id: "made", head: "Link", value: (row) => row.made, cell: (row) => <LongText text={row.made} /> },
        { id: "channel", head: "Channel", width: 130, value: (row) => row.channel },
        {
          id: "state",
          head: "State",
          width: 90,
          value: (row) => row.state,
          cell: (row) => <span className={row.state === "wrong" ? "text-rust" : row.state === "good" ? "text-kelp" : ""}>{row.state}</span>,
        },
        { id: "said", head: "Remarks", width: 380, isWrapped: true, value: (row) => row.said },
      ]}
    />
  );
}
