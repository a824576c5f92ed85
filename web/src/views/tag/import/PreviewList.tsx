import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { useSite } from "@/state/site";
import { moment } from "@/words/format";
import { BECOMES, type Preview, type PreviewLine } from "@/words/imports";

const saidOf = (line: PreviewLine): string => line.why || line.what;

/** The first lines of a file, each with what it becomes. */
export function PreviewList({ preview }: { preview: Preview }) {
  const { site } = useSite();
  if (!preview.lines.length) return null;
  return (
    <List
      name="First lines of the file"
      what="a line"
      rows={preview.lines}
      rowId={(line) => String(line.number)}
      sort={{ by: "number", descending: false }}
      columns={[
        { id: "number", head: "Line", width: 56, value: (line) => line.number },
        {
          id: "becomes",
          head: "Becomes",
          width: 100,
          value: (line) => BECOMES[line.becomes],
          cell: (line) => (
            <span className={line.becomes === "refused" ? "text-rust" : line.becomes === "nothing" ? "text-ink-2" : ""}>
              {BECOMES[line.becomes]}
            </span>
          ),
        },
        {
          id: "said",
          head: "What it is",
          width: 360,
          value: saidOf,
          cell: (line) => (line.why ? <span className="whitespace-normal text-rust">{line.why}</span> : <LongText text={line.what} />),
        },
        {
          id: "at",
          head: "When",
          width: 150,
          value: (line) => line.at,
          cell: (line) => (line.at ? moment(Date.parse(line.at), site.rules.timezone) : ""),
        },
        { id: "robot", head: "Robot", width: 60, value: (line) => (line.robot ? "robot" : "") },
        { id: "text", head: "As it stands there", value: (line) => line.text, cell: (line) => <LongText text={line.text} /> },
      ]}
    />
  );
}
