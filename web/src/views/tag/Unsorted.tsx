import { useQuery } from "@tanstack/react-query";

import { partOfAll, segmentOf } from "@/api/figures";
import { tableQuery } from "@/api/queries";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { lastDays } from "@/state/days";
import { useSite } from "@/state/site";
import { visitsColumn } from "@/views/tag/visitsColumn";
import { Select } from "@/ui/Select";
import { ErrorState } from "@/ui/states";

const UNSET = "(unset)";
const UNSORTED = { dimension: "channel", value: "Unsorted" };

interface UnsortedRow {
  medium: string;
  source: string;
  visits: number;
}

interface UnsortedProps {
  channels: string[];
  canEdit: boolean;
  onGive: (medium: string, channel: string) => void;
}

/** What no channel takes, by medium and source; a medium can be given one at once. */
export function Unsorted({ channels, canEdit, onGive }: UnsortedProps) {
  const { site } = useSite();
  const segment = segmentOf([], [partOfAll([UNSORTED])]);
  const asked = { period: lastDays(site.today, 90), versus: "none" as const, goal: null, segment };
  const table = useQuery(
    tableQuery(
      site.key,
      { ...asked, dimensions: ["medium", "source"], measures: ["visits"], descending: true, limit: 1000 },
      { live: false },
    ),
  );
  if (table.error) return <ErrorState error={table.error} again={() => void table.refetch()} />;
  if (!table.data) return <LedgerSkeleton rows={4} />;
  const rows = table.data.rows.map(({ keys: [medium = "", source = ""], values }) => ({ medium, source, visits: values["visits"] ?? 0 }));
  return (
    <List
      name="Unsorted visits"
      what="a medium"
      rows={rows}
      rowId={(row) => `${row.medium} ${row.source}`}
      sort={{ by: "visits", descending: true }}
      columns={[
        { id: "medium", head: "Medium", value: (row) => row.medium },
        { id: "source", head: "Source", width: 190, value: (row) => row.source },
        visitsColumn<UnsortedRow>({
          today: site.today,
          nameOf: ({ medium, source }) => `${medium}, ${source}`,
          partOf: (row) => partOfAll([UNSORTED, ...(["medium", "source"] as const).map((name) => ({ dimension: name, value: row[name] }))]),
        }),
        ...(canEdit
          ? [
              {
                id: "give",
                head: "A channel for it",
                isHeadUnseen: true,
                width: 180,
                isSortable: false,
                hasControl: true,
                value: () => null,
                cell: (row: (typeof rows)[number], control: object) =>
                  row.medium === UNSET ? (
                    <span className="text-ink-2">it has no medium</span>
                  ) : (
                    <Select
                      {...control}
                      className="w-full"
                      aria-label={`Give ${row.medium} a channel`}
                      value=""
                      onChange={(to) => to && onGive(row.medium, to)}
                      options={[{ value: "", label: "Give it a channel" }, ...channels]}
                    />
                  ),
              },
            ]
          : []),
      ]}
    />
  );
}
