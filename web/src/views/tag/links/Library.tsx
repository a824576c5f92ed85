import { useState } from "react";

import { ask, client } from "@/api/client";
import { useSave } from "@/app/useSave";
import { Heads } from "@/pieces/Heads";
import { SearchInput } from "@/pieces/SearchInput";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { LinkNote } from "@/views/tag/links/LinkNote";
import { figure, lastWord, longDay, plural } from "@/words/format";
import { readWords, type KeptLink, type LinkDraft } from "@/words/links";

const FIRST = 15;

/** All links that were made, with what came by them since. */
export function Library({ links, onTake }: { links: KeptLink[]; onTake: (draft: Partial<LinkDraft>) => void }) {
  const { site, goal } = useView();
  const canEdit = site.role !== "viewer";
  const [query, setQuery] = useState("");
  const [archived, setArchived] = useState(false);
  const [all, setAll] = useState(false);
  const [copied, setCopied] = useState<number | null>(null);
  const change = useSave(({ id, note, archived: away }: { id: number; note: string; archived: boolean }) =>
    ask(
      client.PUT("/api/v1/sites/{site}/links/{link}", {
        params: { path: { site: site.key, link: id } },
        body: { note, archived: away },
      }),
    ),
  );
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (link: KeptLink) => `${link.url} ${link.note} ${link.by ?? ""} ${readWords(link.read)}`.toLowerCase();
  const found = links.filter((link) => link.archived === archived && words.every((word) => text(link).includes(word)));
  const shown = all ? found : found.slice(0, FIRST);
  const away = links.filter((link) => link.archived).length;
  return (
    <section aria-label="Library">
      <h2 className="title">Library</h2>
      {links.length === 0 && <p className="empty">Links that you keep stand here, with the visits that came by them since.</p>}
      {links.length > 0 && (
        <div className="end">
          <SearchInput what="a link" query={query} set={setQuery} />
          {(away > 0 || archived) && (
            <Button kind="link" onClick={() => setArchived(!archived)}>
              {archived ? "Back to those in use" : `The archive (${away})`}
            </Button>
          )}
        </div>
      )}
      {links.length > 0 && found.length === 0 && <p className="quiet">No link fits.</p>}
      {shown.length > 0 && (
        <div className="ledger-box">
          <table className="hits library">
            <Heads
              heads={["Read as", "Leads to", "Note", "Made", { num: "Visits" }, goal && { num: lastWord(goal.name) }, { unseen: "Do" }]}
            />
            <tbody>
              {shown.map((link) => (
                <tr key={link.id}>
                  <td title={link.url}>{readWords(link.read)}</td>
                  <td>{link.address.replace(/^https?:\/\//, "")}</td>
                  <td>
                    <LinkNote
                      note={link.note}
                      canEdit={canEdit}
                      onKeep={(note) => change.mutate({ id: link.id, note, archived: link.archived })}
                    />
                  </td>
                  <td>
                    {longDay(link.made.slice(0, 10))} <span className="quiet">{link.by ?? "somebody who is gone"}</span>
                  </td>
                  <td className="num lead">{figure(link.came.visits, "count")}</td>
                  {goal && <td className="num">{figure(link.came.conversions, "count")}</td>}
                  <td className="acts">
                    <Button kind="cell" onClick={() => void navigator.clipboard.writeText(link.url).then(() => setCopied(link.id))}>
                      {copied === link.id ? "Copied" : "Copy"}
                    </Button>
                    <Button kind="cell" className="ml-3" onClick={() => onTake(draftOf(link))}>
                      Open
                    </Button>
                    {canEdit && (
                      <Button
                        kind="cell"
                        className="ml-3"
                        onClick={() => change.mutate({ id: link.id, note: link.note, archived: !link.archived })}
                      >
                        {link.archived ? "Restore" : "Archive"}
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {shown.length < found.length && <Button onClick={() => setAll(true)}>{plural(found.length - shown.length, "earlier link")}</Button>}
      {change.error && (
        <p className="wrong" role="alert">
          {change.error.message}
        </p>
      )}
    </section>
  );
}

/** A kept link as it can be built on. */
function draftOf({ address, url }: KeptLink): LinkDraft {
  const query = new URL(url).searchParams;
  const tag = (name: string) => query.get(`utm_${name}`) ?? "";
  const tags = { source: tag("source"), medium: tag("medium"), campaign: tag("campaign"), content: tag("content"), term: tag("term") };
  return { address, ...tags, label: query.get("via") ?? query.get("ref") ?? "" };
}
