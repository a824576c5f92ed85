import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { ask, client } from "@/api/client";
import { useSave } from "@/app/useSave";
import { Code } from "@/pieces/Code";
import { Field, Input } from "@/ui/Field";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { LinkCheck } from "@/views/tag/links/LinkCheck";
import { QrCode } from "@/views/tag/links/QrCode";
import { download } from "@/words/download";
import { plural } from "@/words/format";
import { readWords, type BuiltLink, type LinkDraft } from "@/words/links";

interface FinishedProps {
  drafts: LinkDraft[];
  links: BuiltLink[];
  error: Error | null;
  busy: boolean;
}

/** The finished link or links, and what can be done with them. */
export function Finished({ drafts, links, error, busy }: FinishedProps) {
  const { site } = useView();
  const canEdit = site.role !== "viewer";
  const [note, setNote] = useState("");
  const [shown, setShown] = useState<"check" | "code" | null>(null);
  const whole = links.length > 0 && links.every((link) => link.url);
  const first = links[0];
  const url = links.length === 1 && first?.url ? first.url : null;
  const keep = useSave((body: { drafts: LinkDraft[]; note: string }) =>
    ask(client.POST("/api/v1/sites/{site}/links", { params: { path: { site: site.key } }, body })),
  );
  return (
    <div className="finished" aria-label="The finished link" role="region" aria-busy={busy}>
      <h2 className="title">{links.length > 1 ? `${plural(links.length, "link")} at once` : "The link"}</h2>
      {error && (
        <p className="wrong" role="alert">
          {error.message}
        </p>
      )}
      {!whole && !error && <p className="quiet">It stands here as soon as the address and the tags are whole.</p>}
      {whole && <Code text={links.map((link) => link.url).join("\n")} />}
      {whole && first && (
        <p className="quiet">
          {links.length > 1 ? "The first is" : "It is"} read as <b>{readWords(first)}</b>.
        </p>
      )}
      {whole && (
        <>
          {canEdit && (
            <Field label="A note, for whoever finds it in the library">
              {(control) => <Input {...control} value={note} maxLength={500} onChange={(event) => setNote(event.target.value)} />}
            </Field>
          )}
          <div className="end">
            {canEdit && (
              <Button kind="primary" disabled={busy || keep.isPending} onClick={() => keep.mutate({ drafts, note })}>
                Save
              </Button>
            )}
            {url && (
              <>
                <Button aria-expanded={shown === "check"} onClick={() => setShown(shown === "check" ? null : "check")}>
                  Check it
                </Button>
                <Button aria-expanded={shown === "code"} onClick={() => setShown(shown === "code" ? null : "code")}>
                  QR code
                </Button>
              </>
            )}
            <span role="status" className="quiet">
              {keep.isSuccess && `${plural(keep.data.length, "link")} kept in the library.`}
            </span>
          </div>
          {keep.error && (
            <p className="wrong" role="alert">
              {keep.error.message}
            </p>
          )}
        </>
      )}
      {url && shown === "check" && first && <LinkCheck key={url} url={url} expected={first} />}
      {url && shown === "code" && <QrCode url={url} />}
      <Sheets drafts={drafts} whole={links.length > 0} />
    </div>
  );
}

/** Links as a CSV file, in and out. */
function Sheets({ drafts, whole }: { drafts: LinkDraft[]; whole: boolean }) {
  const { site } = useView();
  const chooser = useRef<HTMLInputElement>(null);
  const finish = useMutation({
    mutationFn: (text: string) =>
      ask(
        client.POST("/api/v1/sites/{site}/links/build/csv", {
          params: { path: { site: site.key } },
          body: text,
          bodySerializer: (body: string) => body,
          headers: { "Content-Type": "text/csv" },
          parseAs: "text",
        }),
      ),
    onSuccess: (text) => download(text as string, "links.csv", "text/csv"),
  });
  const quoted = (cell: string) => `"${cell.replaceAll('"', '""')}"`;
  const heads = ["address", "source", "medium", "campaign", "content", "term", "label"] as const;
  const sheet = () => [heads.join(","), ...drafts.map((draft) => heads.map((head) => quoted(draft[head])).join(","))].join("\r\n");
  return (
    <div className="end">
      <Button kind="link" disabled={!whole || finish.isPending} onClick={() => finish.mutate(sheet())}>
        As a CSV file
      </Button>
      <Button kind="link" disabled={finish.isPending} onClick={() => chooser.current?.click()}>
        Finish the links of a CSV file …
      </Button>
      <Input
        ref={chooser}
        type="file"
        accept=".csv,text/csv"
        className="sr-only"
        tabIndex={-1}
        aria-label="A CSV file with links"
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          event.target.value = "";
          if (file) void file.text().then((text) => finish.mutate(text));
        }}
      />
      {finish.isError && (
        <p className="wrong" role="alert">
          {finish.error.message} No file was made.
        </p>
      )}
      <span role="status" className="quiet">
        {finish.isSuccess && "The finished file was handed to the browser."}
      </span>
    </div>
  );
}
