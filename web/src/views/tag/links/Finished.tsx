import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Problem } from "@/api/client";
import { useSave } from "@/api/useSave";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Code } from "@/ui/Code";
import { Field, FieldError, Input } from "@/ui/Field";
import { Select } from "@/ui/Select";
import { Actions, Title } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { LinkArrival } from "@/views/tag/links/LinkArrival";
import { QrCode } from "@/views/tag/links/QrCode";
import { SheetDownload } from "@/views/tag/links/SheetDownload";
import { openAndFollow } from "@/words/following";
import { longDay, plural } from "@/words/format";
import { readWords, type BuiltLink, type KeptLink, type LinkDraft } from "@/words/links";

interface FinishedProps {
  links: BuiltLink[];
  error: Problem | null;
  busy: boolean;
  edited: KeptLink | null;
  onDone: () => void;
  onSaved: () => void;
}

/** The finished link or links, and what can be done with them. */
export function Finished({ links, error, busy, edited, onDone, onSaved }: FinishedProps) {
  const whole = links.length > 0 && links.every((link) => link.url);
  // Of several links, the one that is checked or printed.
  const [chosen, setChosen] = useState("0");
  const first = links[Number(chosen)] ?? links[0];
  const url = whole && first?.url ? first.url : null;
  return (
    <div className="grid min-w-0 content-start gap-2" aria-label="The finished link" role="region" aria-busy={busy}>
      <Title>{links.length > 1 ? `${plural(links.length, "link")} at once` : "The link"}</Title>
      {error && <FieldError>{error.detail}</FieldError>}
      {!whole && !error && <p className="text-ink-2">It stands here as soon as the address and the tags are complete.</p>}
      {whole && <Code text={links.map((link) => link.url).join("\n")} />}
      {whole && links.length > 1 && (
        <Field label="Which of them to check or to print">
          {(control) => (
            <Select
              {...control}
              value={links[Number(chosen)] ? chosen : "0"}
              onChange={setChosen}
              options={links.map((link, place) => ({ value: String(place), label: readWords(link) }))}
            />
          )}
        </Field>
      )}
      {whole && first && (
        <p className="text-ink-2">
          {links.length > 1 ? "This one is" : "It is"} read as <b>{readWords(first)}</b>.
        </p>
      )}
      {whole && <Keep links={links} busy={busy} edited={edited} onDone={onDone} onSaved={onSaved} />}
      {url && first && <TryOut key={url} url={url} link={first} busy={busy} />}
      {links.length > 0 && <SheetDownload drafts={links.map((link) => link.draft)} />}
    </div>
  );
}

/** A file is named by what it leads to: campaign and source. */
const fileName = (link: BuiltLink): string =>
  [link.campaign, link.source]
    .filter(Boolean)
    .join("-")
    .replace(/[^\p{L}\p{N}_-]+/gu, "-") || "link";

/** Opens a link to see how it arrives, or prints it. */
function TryOut({ url, link, busy }: { url: string; link: BuiltLink; busy: boolean }) {
  const { site } = useSite();
  const [isPrinted, setPrinted] = useState(false);
  const open = useMutation({ mutationFn: () => openAndFollow(site, url, true) });
  const opened = open.data;
  return (
    <>
      <Actions>
        <Button
          title="Opens it in another tab; what comes by it is own traffic, not a visit"
          disabled={busy || open.isPending}
          onClick={() => open.mutate()}
        >
          {opened ? "Check it again" : "Check it"}
        </Button>
        <Button disabled={busy} aria-expanded={isPrinted} onClick={() => setPrinted(!isPrinted)}>
          QR code
        </Button>
      </Actions>
      {open.error && <FieldError>{open.error.detail}</FieldError>}
      {opened && <LinkArrival key={opened.token} token={opened.token} at={Date.parse(opened.at)} url={url} expected={link} />}
      {isPrinted && <QrCode url={url} name={fileName(link)} />}
    </>
  );
}

/** Puts links into the library, or gives one of it another form. */
function Keep({ links, busy, edited, onDone, onSaved }: Omit<FinishedProps, "error">) {
  const { site } = useSite();
  const there = links.filter((link) => link.registered && link.registered.id !== edited?.id);
  const [found] = there.map((link) => link.registered);
  return (
    <>
      {found && (
        <p className="text-ink-2">
          {links.length > 1 ? `${plural(there.length, "of them is", "of them are")}` : "It is"} in the library already, made on{" "}
          {longDay(found.made.slice(0, 10))}
          {found.by ? ` by ${found.by}` : ""}.
        </p>
      )}
      {can(site, "edit") &&
        (edited ? (
          <KeepChange links={links} busy={busy} id={edited.id} onDone={onDone} />
        ) : (
          <KeepNew links={links} busy={busy} onSaved={onSaved} />
        ))}
    </>
  );
}

function KeepNew({ links, busy, onSaved }: Pick<FinishedProps, "links" | "busy" | "onSaved">) {
  const { site } = useSite();
  const [kept, setKept] = useState("");
  const entry = useEntry({
    touches: "links",
    values: { note: "" },
    send: ({ note }) => {
      const drafts = links.map((link) => ({ ...link.draft, note: "" }));
      return ask(client.POST("/api/v1/sites/{site}/links", { params: { path: { site: site.key } }, body: { drafts, note } }));
    },
    after: (saved) => {
      setKept(keptWords(saved.length, links.length));
      onSaved();
    },
  });
  return (
    <EntryForm
      entry={entry}
      label="Save to the library"
      foot={
        <>
          <Button type="submit" kind="primary" disabled={busy || entry.isSending}>
            Save
          </Button>
          <span role="status" className="text-ink-2">
            {entry.isSent && kept}
          </span>
        </>
      }
    >
      <EntryField entry={entry} name="note" label="A note, for whoever finds it in the library">
        {(control) => <Input {...control} maxLength={500} />}
      </EntryField>
    </EntryForm>
  );
}

function KeepChange({ links, busy, id, onDone }: Pick<FinishedProps, "links" | "busy" | "onDone"> & { id: number }) {
  const { site } = useSite();
  const change = useSave(
    "links",
    (body: LinkDraft) =>
      ask(client.PUT("/api/v1/sites/{site}/links/{link}/draft", { params: { path: { site: site.key, link: id } }, body })),
    () => {
      notify("The link was changed.");
      onDone();
    },
  );
  const [only, ...others] = links;
  if (!only) return null;
  return (
    <>
      <Actions>
        <Button kind="primary" disabled={busy || change.isPending || others.length > 0} onClick={() => change.mutate(only.draft)}>
          Save the change
        </Button>
        <Button onClick={onDone}>Cancel</Button>
      </Actions>
      {change.error && <FieldError>{change.error.detail}</FieldError>}
    </>
  );
}

/** What was kept of how many; the others were there. */
const keptWords = (kept: number, all: number): string =>
  `${plural(kept, "link")} saved to the library.${kept < all ? ` ${plural(all - kept, "was", "were")} there already.` : ""}`;
