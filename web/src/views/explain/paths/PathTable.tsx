import { NodeMenu } from "@/views/explain/paths/NodeMenu";
import { centrePart, wayPart, type Centre, type PathNode } from "@/views/explain/paths/tree";
import type { usePaths } from "@/views/explain/paths/usePaths";
import { OpenedCell } from "@/views/shared/OpenedCell";
import type { Opened } from "@/views/shared/OpenedUp";
import type { SegmentPart } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import type { CellControl } from "@/ledger/columns";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { useView } from "@/state/view";
import { figure } from "@/words/format";
import { columnName, nodeWords } from "@/words/paths";

interface PathTableProps {
  paths: ReturnType<typeof usePaths>;
  nodes: readonly PathNode[];
  centre: Centre;
  all: { visits: number; before?: number | null };
  did: string;
}

interface Line {
  node: PathNode;
  depth: number;
}

const linesOf = (nodes: readonly PathNode[], depth = 1): Line[] =>
  nodes.flatMap((node) => [{ node, depth }, ...(node.nexts ? linesOf(node.nexts, depth + 1) : [])]);

const SORT = { by: "visits", descending: true };

/** The same nodes as rows: the whole way to each, its visits, and who converted. */
export function PathTable({ paths, nodes, centre, all, did }: PathTableProps) {
  const { segment } = useView();
  const { versus } = paths.result ?? {};
  const middle = centrePart(centre, paths.steps);
  const words = ({ node }: Line) => nodeWords(node, centre);
  const opening = (text: (line: Line) => string, opened: (part: SegmentPart) => Opened | null) =>
    function OpeningCell(line: Line, control: CellControl) {
      const part = wayPart(line.node, centre, paths.steps);
      return <OpenedCell row={words(line)} text={text(line)} opened={opened(part)} control={control} />;
    };
  return (
    <List
      name="Ways"
      what="a way"
      rows={linesOf(nodes)}
      rowId={({ node }) => node.id + node.side}
      sort={SORT}
      isExported
      columns={[
        {
          id: "way",
          head: "Way",
          hasControl: true,
          value: words,
          cell: (line, control) => (
            <NodeMenu
              node={line.node}
              {...{ paths, centre, all }}
              steps={paths.steps}
              trigger={
                <button type="button" className="min-w-0 text-start text-teal" {...control}>
                  <LongText text={words(line)} />
                </button>
              }
            />
          ),
        },
        { id: "step", head: "Step", width: 110, value: ({ node, depth }) => columnName(node.side, depth) },
        {
          id: "visits",
          head: "Visits",
          width: 76,
          isNumber: true,
          isLead: true,
          hasControl: true,
          value: ({ node }) => node.visits,
          cell: opening(
            ({ node }) => figure(node.visits, "count"),
            (part) => ({ measure: "visits", title: "Visits", part }),
          ),
        },
        {
          id: "share",
          head: "Of the centre",
          unit: ", %",
          width: 96,
          isNumber: true,
          hasControl: true,
          value: ({ node }) => (all.visits ? node.visits / all.visits : null),
          cell: opening(
            ({ node }) => figure(all.visits ? node.visits / all.visits : null, "percent"),
            (part) => ({ measure: "visits", title: "Visits, of the centre", part, outOf: middle }),
          ),
        },
        {
          id: "before",
          head: "Before",
          width: 70,
          isNumber: true,
          isQuiet: true,
          hasControl: true,
          value: ({ node }) => node.before,
          cell: opening(
            ({ node }) => (node.before == null ? "" : figure(node.before, "count")),
            (part) => {
              const narrowed = narrowedBy(segment, [], [part]);
              const under = versus && { from: versus.first, to: versus.last };
              return narrowed && under
                ? { measure: "visits", title: "Visits, before", part: { kind: "segment", segment: narrowed }, under }
                : null;
            },
          ),
        },
        {
          id: "converted",
          head: did.charAt(0).toUpperCase() + did.slice(1),
          width: 90,
          isNumber: true,
          hasControl: true,
          value: ({ node }) => node.converted,
          cell: opening(
            ({ node }) => figure(node.converted, "count"),
            (part) => ({ measure: "converting_visits", title: "Converting visits", part }),
          ),
        },
        {
          id: "rate",
          head: "Rate",
          unit: ", %",
          width: 70,
          isNumber: true,
          hasControl: true,
          value: ({ node }) => (node.visits ? node.converted / node.visits : null),
          cell: opening(
            ({ node }) => figure(node.visits ? node.converted / node.visits : null, "percent"),
            (part) => ({ measure: "conversion_rate", title: "Conversion rate", part }),
          ),
        },
      ]}
    />
  );
}
