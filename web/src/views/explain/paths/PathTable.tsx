import { NodeMenu } from "@/views/explain/paths/NodeMenu";
import { wayPart, type Centre, type PathNode } from "@/views/explain/paths/tree";
import type { usePaths } from "@/views/explain/paths/usePaths";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { FigureButton } from "@/ledger/FigureButton";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
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
  const openUp = useOpenUp();
  const words = ({ node }: Line) => nodeWords(node, centre);
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
          cell: (line, control) => {
            const part = wayPart(line.node, centre, paths.steps);
            const shown = figure(line.node.visits, "count");
            return part ? (
              <FigureButton
                label={`${words(line)}, Visits: ${shown}`}
                control={control}
                onOpen={() => openUp({ measure: "visits", title: "Visits", part })}
              >
                {shown}
              </FigureButton>
            ) : (
              <span {...control}>{shown}</span>
            );
          },
        },
        {
          id: "share",
          head: "Of the centre",
          unit: ", %",
          width: 96,
          isNumber: true,
          value: ({ node }) => (all.visits ? node.visits / all.visits : null),
          cell: ({ node }) => figure(all.visits ? node.visits / all.visits : null, "percent"),
        },
        { id: "before", head: "Before", width: 70, isNumber: true, isQuiet: true, value: ({ node }) => node.before },
        {
          id: "converted",
          head: did.charAt(0).toUpperCase() + did.slice(1),
          width: 90,
          isNumber: true,
          value: ({ node }) => node.converted,
        },
        {
          id: "rate",
          head: "Rate",
          unit: ", %",
          width: 70,
          isNumber: true,
          value: ({ node }) => (node.visits ? node.converted / node.visits : null),
          cell: ({ node }) => figure(node.visits ? node.converted / node.visits : null, "percent"),
        },
      ]}
    />
  );
}
