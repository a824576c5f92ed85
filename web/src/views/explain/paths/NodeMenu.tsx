import { useNavigate } from "@tanstack/react-router";
import type { ReactNode } from "react";

import type { Condition, Segment } from "@/api/client";
import { wayPart, type Centre, type PathNode, type StepsOf } from "@/views/explain/paths/tree";
import type { usePaths } from "@/views/explain/paths/usePaths";
import { SegmentBegun, VisitsBehind } from "@/views/shared/Behind";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { partText, type ViewSearch, elsewhere } from "@/state/address";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useLogbook } from "@/views/logbook/LogbookProvider";
import { useSteering, useView } from "@/state/view";
import { Menu, MenuItem } from "@/ui/Menu";
import { figure, periodWords, plural, shareWords } from "@/words/format";
import { PLAIN_MATCH } from "@/words/segments";
import { nodeWords } from "@/words/paths";

interface NodeMenuProps {
  node: PathNode;
  centre: Centre;
  steps: StepsOf;
  /** All visits of the centre, now and in the versus period. */
  all: { visits: number; before?: number | null };
  paths: ReturnType<typeof usePaths>;
  trigger: ReactNode;
}

/** What can be done with a node, and gone to from it. */
export function NodeMenu({ node, centre, steps, all, paths, trigger }: NodeMenuProps) {
  const { site } = useSite();
  const { write } = useLogbook();
  const { parts, versusPeriod } = useView();
  const { setParts } = useSteering();
  const openUp = useOpenUp();
  const navigate = useNavigate();
  const part = wayPart(node, centre, steps);
  const last = node.chain.at(-1);
  const words = nodeWords(node, centre);
  const share = (count: number | null | undefined, of: number | null | undefined) => (of && count != null ? shareWords(count / of) : null);
  const before = share(node.before, all.before);
  return (
    <Menu
      side="right"
      trigger={trigger}
      label={
        <span className="grid wrap-anywhere">
          <b className="font-semibold">{words}</b>
          <span className="text-ink-2">
            {plural(node.visits, "visit")}, {figure(node.converted, "count")} of them converted
          </span>
          <span className="text-ink-2">
            {share(node.visits, all.visits)} of the centre{before && versusPeriod && `; ${before} from ${periodWords(versusPeriod)}`}
          </span>
        </span>
      }
    >
      {node.kind === "step" && !node.nexts && <MenuItem onSelect={() => paths.open([node])}>Open branch</MenuItem>}
      {node.kind === "step" && node.nexts && <MenuItem onSelect={() => paths.close(node)}>Close branch</MenuItem>}
      {node.kind === "more" && <MenuItem onSelect={() => paths.open([node])}>Show more of them</MenuItem>}
      {node.kind === "step" && last && (
        <MenuItem onSelect={() => paths.centreOn({ dimension: last.of, value: last.value })}>Centre here</MenuItem>
      )}
      <MenuItem onSelect={() => openUp({ measure: "visits", title: "Visits", part })}>Open up: course, parts, visits</MenuItem>
      <MenuItem onSelect={() => setParts([...parts, part])}>Only these visits</MenuItem>
      <MenuItem
        onSelect={() =>
          void navigate({
            to: "/s/$site/read/sources",
            params: { site: site.key },
            search: (now: ViewSearch) => ({ ...elsewhere(now), segment: [...(now.segment ?? []), partText(part)] }),
          })
        }
      >
        Break it down
      </MenuItem>
      <MenuItem asChild>
        <SegmentBegun site={site.key} draft={node.kind === "more" && part.kind === "segment" ? part.segment : orderedOf(node, centre)}>
          Make a segment of this way
        </SegmentBegun>
      </MenuItem>
      <MenuItem asChild>
        <VisitsBehind places={[]} whole={part} />
      </MenuItem>
      {can(site, "edit") && <MenuItem onSelect={() => write(`${words} – `)}>Note in the logbook</MenuItem>}
    </Menu>
  );
}

/** The way as conditions in order, each step directly next: what the editor begins with. */
function orderedOf({ side, chain }: PathNode, centre: Centre): Segment {
  const step = (dimension: string, value: string) =>
    dimension === "event"
      ? { ...PLAIN_MATCH, kind: "event" as const, names: [value] }
      : { ...PLAIN_MATCH, kind: "view" as const, page: { test: "is" as const, value } };
  const isStep = (dimension: string) => dimension === "page" || dimension === "event";
  const steps = chain.filter((one) => isStep(one.of)).map((one) => step(one.of, one.value));
  const middle = isStep(centre.dimension) ? [step(centre.dimension, centre.value)] : [];
  const ordered = side === "forward" ? [...middle, ...steps] : [...steps.reverse(), ...middle];
  const of: Condition[] = isStep(centre.dimension)
    ? []
    : [{ kind: "dimension", dimension: centre.dimension, test: "is", values: [centre.value] }];
  const groups: Condition[] = chain
    .filter((one) => one.of === "page_group")
    .map((one) => ({ kind: "dimension", dimension: one.of, test: "is", values: [one.value] }));
  const [first] = ordered;
  const way: Condition[] =
    ordered.length > 1
      ? [{ kind: "in order", steps: ordered.slice(0, 10), within_minutes: null, directly_next: true }]
      : first
        ? [{ kind: "did", match: first, test: "at least", times: 1 }]
        : [];
  return { of: "visits", where: { kind: "group", of: "all", conditions: [...of, ...groups, ...way] } };
}
