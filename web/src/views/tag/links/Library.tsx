import { useState } from "react";

import { ask, client } from "@/api/client";
import { useSave } from "@/api/useSave";
import type { LedgerColumn } from "@/ledger/columns";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { dayOf } from "@/state/days";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Part } from "@/ui/layout";
import { Button } from "@/ui/Button";
import { copied, NOT_COPIED } from "@/ui/copied";
import { FieldError } from "@/ui/Field";
import { MenuItem } from "@/ui/Menu";
import { notify } from "@/ui/Toast";
import { LinkNote } from "@/views/tag/links/LinkNote";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { figure, lastWord, longDay } from "@/words/format";
import { cameBy, readWords, type KeptLink, type LinkDraft } from "@/words/links";

/** All links that were made, with what came by them since. */
export function Library({ links, onTake }: { links: KeptLink[]; onTake: (draft: Partial<LinkDraft>, edited?: KeptLink) => void }) {
  const { site } = useSite();
  const { goal } = useView();
  const canEdit = can(site, "edit");
  const [archived, setArchived] = useState(false);
  const change = useSave("links", ({ id, note, archived: away }: { id: number; note: string; archived: boolean }) =>
    ask(
      client.PUT("/api/v1/sites/{site}/links/{link}", {
        params: { path: { site: site.key, link: id } },
        body: { note, archived: away },
      }),
    ),
  );
  const shown = links.filter((link) => link.archived === archived);
  const away = links.filter((link) => link.archived).length;
  const copy = (link: KeptLink) => void copied(link.url).then((isDone) => notify(isDone ? "The link was copied." : NOT_COPIED));
  // Whole days are read: from the one on which it was made.
  const opened = (link: KeptLink, measure: "visits" | "conversions", title: string) => ({
    row: readWords(link.read),
    text: link.came.visits ? figure(link.came[measure], "count") : measure === "visits" ? "0" : "",
    opened: {
      measure,
      title,
      part: cameBy({ ...link.read, page: link.page }),
      under: { from: dayOf(link.made, site.timezone), to: site.today },
    },
  });
  const columns: LedgerColumn<KeptLink>[] = [
    {
      id: "read",
      head: "Read as",
      value: (link) => readWords(link.read),
      cell: (link) => <span title={link.url}>{readWords(link.read)}</span>,
    },
    { id: "leads", head: "Leads to", width: 230, value: leadsTo, cell: (link) => <LongText text={leadsTo(link)} /> },
    {
      id: "note",
      head: "Note",
      width: 200,
      hasControl: true,
      value: (link) => link.note,
      cell: (link, control) => (
        <LinkNote
          note={link.note}
          canEdit={canEdit}
          control={control}
          onKeep={(note) => change.mutate({ id: link.id, note, archived: link.archived })}
        />
      ),
    },
    {
      id: "made",
      head: "Made",
      width: 190,
      value: (link) => link.made,
      cell: (link) => (
        <>
          {longDay(link.made.slice(0, 10))} <span className="text-ink-2">{link.by ?? "a removed account"}</span>
        </>
      ),
    },
    {
      id: "visits",
      head: "Visits",
      width: 70,
      isNumber: true,
      isLead: true,
      hasControl: true,
      value: (link) => link.came.visits,
      cell: (link, control) => <OpenedCell {...opened(link, "visits", "Visits")} control={control} />,
    },
  ];
  if (goal)
    columns.push({
      id: "conversions",
      head: lastWord(goal.name),
      width: 90,
      isNumber: true,
      // Links that nobody came by stand last whichever way they are sorted.
      value: (link) => (link.came.visits ? link.came.conversions : null),
      hasControl: true,
      cell: (link, control) => <OpenedCell {...opened(link, "conversions", goal.name)} control={control} />,
    });
  return (
    <Part isWide title="Library" aria-label="Library">
      {links.length === 0 && (
        <p className="max-w-[46ch] py-5 text-ink-2">Links that you save stand here, with the visits that came by them since.</p>
      )}
      {links.length > 0 && (
        <List
          name="Library"
          what="a link"
          columns={columns}
          rows={shown}
          rowId={(link) => String(link.id)}
          sort={{ by: "made", descending: true }}
          beside={
            (away > 0 || archived) && (
              <Button kind="link" onClick={() => setArchived(!archived)}>
                {archived ? "Back to the library" : `Archived (${away})`}
              </Button>
            )
          }
          menu={(link) => (
            <>
              <MenuItem onSelect={() => copy(link)}>Copy</MenuItem>
              {canEdit && <MenuItem onSelect={() => onTake(link.read.draft, link)}>Edit</MenuItem>}
              <MenuItem onSelect={() => onTake(link.read.draft)}>Duplicate</MenuItem>
              {canEdit && (
                <MenuItem onSelect={() => change.mutate({ id: link.id, note: link.note, archived: !link.archived })}>
                  {link.archived ? "Restore" : "Archive"}
                </MenuItem>
              )}
            </>
          )}
        />
      )}
      {change.error && <FieldError>{change.error.detail}</FieldError>}
    </Part>
  );
}

const leadsTo = (link: KeptLink): string => link.address.replace(/^https?:\/\//, "");
