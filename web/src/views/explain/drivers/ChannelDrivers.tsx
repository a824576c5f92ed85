import type { Schemas } from "@/api/client";
import { PairMark } from "@/charts/PairMark";
import { OpenedCredit } from "@/views/explain/attribution/OpenedCredit";
import { useOpenedCredit } from "@/views/explain/drivers/useOpenedCredit";
import { NamedRow } from "@/views/shared/NamedRow";
import { RowItems } from "@/views/shared/RowLeads";
import { OpenedCell } from "@/views/shared/OpenedCell";
import type { CellControl, LedgerColumn } from "@/ledger/columns";
import { FigureButton } from "@/ledger/FigureButton";
import { List } from "@/ledger/List";
import { useSite } from "@/state/site";
import { credit } from "@/words/attribution";
import type { ChannelDriver } from "@/words/drivers";
import { figure, unitOf, valueWords } from "@/words/format";

interface ChannelDriversProps {
  channels: ChannelDriver[];
  table: Schemas["TableResult"];
  /** What the goal is called, as a head. */
  did: string;
}

const MARKS = 130;

/** Each channel: who came, who converted, and what it is owed by where it stood on the way. */
export function ChannelDrivers({ channels, table, did }: ChannelDriversProps) {
  const [opened, open] = useOpenedCredit("channel", table);
  const { site } = useSite();
  const words = (row: ChannelDriver) => valueWords("channel", row.channel) || "unattributed";
  const top = Math.max(...channels.flatMap((one) => [one.first, one.last]), 1);
  const measured = (id: "visitors" | "conversions" | "conversion_rate" | "value", text: (row: ChannelDriver) => string, title: string) =>
    function Measured(row: ChannelDriver, control: CellControl) {
      const of = [{ dimension: "channel", value: row.channel }];
      return <OpenedCell row={words(row)} text={text(row)} opened={{ measure: id, title, of }} control={control} />;
    };
  const credited = (id: "first" | "linear" | "last", head: string, meaning: string): LedgerColumn<ChannelDriver> => ({
    id,
    head,
    meaning,
    width: 74,
    isNumber: true,
    hasControl: true,
    value: (row) => row[id],
    cell: (row, control) => (
      <FigureButton label={`${words(row)}, ${head}: ${credit(row[id])}`} control={control} onOpen={() => open(id, row.channel, row[id])}>
        {credit(row[id])}
      </FigureButton>
    ),
  });
  return (
    <>
      <List
        name="Channels that drive it"
        what="a channel"
        rows={channels}
        rowId={(row) => row.channel}
        sort={{ by: "linear", descending: true }}
        isExported
        menu={(row) => <RowItems title="Drivers" places={[{ dimension: "channel", value: row.channel }]} />}
        columns={[
          {
            id: "channel",
            head: "Channel",
            hasControl: true,
            value: words,
            cell: (row, control) => <NamedRow dimension="channel" value={row.channel} control={control} />,
          },
          {
            id: "visitors",
            head: "Visitors",
            width: 86,
            isNumber: true,
            hasControl: true,
            value: (row) => row.visitors,
            cell: measured("visitors", (row) => figure(row.visitors, "count"), "Visitors"),
          },
          {
            id: "conversions",
            head: did,
            width: 96,
            isNumber: true,
            isLead: true,
            hasControl: true,
            value: (row) => row.conversions,
            cell: measured("conversions", (row) => figure(row.conversions, "count"), "Conversions"),
          },
          {
            id: "rate",
            head: "Rate",
            unit: ", %",
            width: 76,
            isNumber: true,
            hasControl: true,
            value: (row) => row.rate,
            cell: measured("conversion_rate", (row) => figure(row.rate, "percent"), "Conversion rate"),
          },
          credited("first", "First", "Conversions credited to it as the first touch"),
          credited("linear", "Linear", "Conversions credited to it, shared out evenly among all touches"),
          credited("last", "Last", "Conversions credited to it as the last touch"),
          {
            id: "ends",
            head: "○ first ● last",
            width: MARKS + 12,
            isSortable: false,
            value: (row) => row.last - row.first,
            cell: (row) => <PairMark now={row.last} against={row.first} top={top} width={MARKS} />,
          },
          {
            id: "value",
            head: "Value",
            unit: unitOf("money", site.currency),
            width: 96,
            isNumber: true,
            hasControl: true,
            value: (row) => row.value,
            cell: measured("value", (row) => figure(row.value, "money"), "Value"),
          },
        ]}
      />
      {opened && <OpenedCredit {...opened} />}
    </>
  );
}
