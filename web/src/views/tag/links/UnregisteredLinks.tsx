import type { Schemas } from "@/api/client";
import { Heads } from "@/pieces/Heads";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { figure } from "@/words/format";
import { EMPTY, readWords, type LinkDraft } from "@/words/links";

const FIRST = 8;

/** Links seen in traffic that nobody made here. */
export function UnregisteredLinks({ rows, onTake }: { rows: Schemas["UnregisteredLink"][]; onTake: (draft: Partial<LinkDraft>) => void }) {
  const { site } = useView();
  const base = `https://${site.rules.hosts[0] ?? ""}`;
  return (
    <section aria-label="Links that nobody made here">
      <h2 className="title">Seen, but not made here</h2>
      {rows.length === 0 && <p className="quiet">Every link that visits came by in the last 90 days was made here.</p>}
      {rows.length > 0 && (
        <div className="ledger-box">
          <table className="hits library">
            <Heads heads={["Tags", "Medium", "Landed on", { num: "Visits, 90 days" }, { unseen: "Do" }]} />
            <tbody>
              {rows.slice(0, FIRST).map((row) => (
                <tr key={JSON.stringify(row)}>
                  <td>{readWords({ ...row, channel: "" })}</td>
                  <td>{row.medium}</td>
                  <td>{row.page}</td>
                  <td className="num lead">{figure(row.visits, "count")}</td>
                  <td className="acts">
                    <Button kind="cell" onClick={() => onTake({ ...EMPTY, address: base + row.page, ...tagsOf(row) })}>
                      Build on it
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {rows.length > FIRST && <p className="quiet">And {rows.length - FIRST} more with fewer visits.</p>}
    </section>
  );
}

/** What must be typed, so that a link is read as these visits were. */
function tagsOf({ source, medium, campaign, content, term, label }: Schemas["UnregisteredLink"]): Partial<LinkDraft> {
  return label && medium === "link" ? { label } : { source, medium, campaign, content, term };
}
