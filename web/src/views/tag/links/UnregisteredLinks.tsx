import type { Schemas } from "@/api/client";
import { actionColumn } from "@/ledger/actionColumn";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { useSite } from "@/state/site";
import { visitsColumn } from "@/views/tag/visitsColumn";
import { Part } from "@/ui/layout";
import { cameBy, EMPTY, readWords, type LinkDraft } from "@/words/links";

/** Links seen in traffic that nobody made here. */
export function UnregisteredLinks({ rows, onTake }: { rows: Schemas["UnregisteredLink"][]; onTake: (draft: Partial<LinkDraft>) => void }) {
  const { site } = useSite();
  const base = `https://${site.rules.hosts[0] ?? ""}`;
  return (
    <Part isWide title="Seen, but not made here" aria-label="Links that nobody made here">
      {rows.length === 0 && <p className="text-ink-2">Every link that visits came by in the last 90 days was made here.</p>}
      {rows.length > 0 && (
        <List
          name="Links that nobody made here"
          what="a link"
          rows={rows}
          rowId={(row) => JSON.stringify(row)}
          sort={{ by: "visits", descending: true }}
          columns={[
            { id: "tags", head: "Tags", value: namedBy },
            { id: "medium", head: "Medium", width: 140, value: (row) => row.medium },
            { id: "page", head: "Landed on", width: 240, value: (row) => row.page, cell: (row) => <LongText text={row.page} /> },
            visitsColumn({ today: site.today, nameOf: namedBy, partOf: cameBy }),
            actionColumn<Schemas["UnregisteredLink"]>({
              verb: "Build on it",
              width: 110,
              onDo: (row) => onTake({ ...EMPTY, address: base + row.page, ...tagsOf(row) }),
            }),
          ]}
        />
      )}
    </Part>
  );
}

const namedBy = (row: Schemas["UnregisteredLink"]): string => readWords({ ...row, channel: "" });

/** What must be typed, so that a link is read as these visits were. */
function tagsOf({ source, medium, campaign, content, term, label }: Schemas["UnregisteredLink"]): Partial<LinkDraft> {
  return label && medium === "link" ? { label } : { source, medium, campaign, content, term };
}
