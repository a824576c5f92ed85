import type { CSSProperties, KeyboardEvent } from "react";

import { NodeMenu } from "@/views/explain/paths/NodeMenu";
import { wayPart, type Centre, type PathNode } from "@/views/explain/paths/tree";
import type { usePaths } from "@/views/explain/paths/usePaths";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { LongText } from "@/ledger/LongText";
import { figure, shareWords } from "@/words/format";
import { nodeWords } from "@/words/paths";

/** From these heights on there is room for a second line of its name, and for its share below. */
const ROOMY = 36;
const ROOMIER = 54;

interface PathNodeButtonProps {
  node: PathNode;
  paths: ReturnType<typeof usePaths>;
  centre: Centre;
  all: { visits: number; before?: number | null };
  place: { left: number; top: number; width: number; height: number };
  isThin: boolean;
  /** Whether an arrow key led elsewhere. */
  onWalk: (event: KeyboardEvent) => boolean;
}

/** The words of a node, and by mouse and keys all that can be done with it. */
export function PathNodeButton({ node, paths, centre, all, place, isThin, onWalk }: PathNodeButtonProps) {
  const openUp = useOpenUp();
  const { side, kind, name, visits, converted, nexts } = node;
  const part = wayPart(node, centre, paths.steps);
  const onKeyDown = (event: KeyboardEvent) => {
    if (onWalk(event)) return;
    const act = {
      "+": kind !== "ended" && !nexts ? () => paths.open([node]) : null,
      "-": nexts ? () => paths.close(node) : null,
      o: () => openUp({ measure: "visits", title: "Visits", part }),
    }[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  };
  const style: CSSProperties = place;
  const isNamed = kind === "step";
  const mark = kind === "ended" || nexts ? "" : side === "forward" ? "›" : "‹";
  // Where the water is lower than a line of words, its edges would go through them.
  const ground = nexts && isThin ? "bg-sheet" : "";
  return (
    <NodeMenu
      {...{ node, centre, all, paths }}
      steps={paths.steps}
      trigger={
        <button
          type="button"
          className={`absolute flex items-center gap-1 text-label leading-4 ${side === "forward" ? "pl-2" : "pr-2"} hover:bg-sea-2/40 data-[state=open]:outline-2 data-[state=open]:outline-magenta`}
          style={style}
          data-node={node.id + side}
          aria-expanded={isNamed ? Boolean(nexts) : undefined}
          onKeyDown={onKeyDown}
        >
          <span className="sr-only">
            {nodeWords(node, centre)}: {figure(visits, "count")} visits, {figure(converted, "count")} converted
          </span>
          <span aria-hidden="true" className={`min-w-7 text-end font-semibold ${ground}`}>
            {figure(visits, "count")}
          </span>
          <span aria-hidden="true" className="min-w-0 flex-1 text-start">
            <span className={`flex w-fit max-w-full min-w-0 gap-1 ${ground} ${isNamed ? "text-ink" : "text-ink-2"}`}>
              {side === "backward" && mark}
              {place.height >= ROOMY ? <span className="line-clamp-2 wrap-anywhere">{name}</span> : <LongText text={name} />}
              {side === "forward" && mark}
            </span>
            {place.height >= ROOMIER && all.visits > 0 && <span className="block text-ink-2">{shareWords(visits / all.visits)}</span>}
          </span>
          <span aria-hidden="true" className={`font-semibold text-teal ${ground}`}>
            {converted ? figure(converted, "count") : ""}
          </span>
        </button>
      }
    />
  );
}
