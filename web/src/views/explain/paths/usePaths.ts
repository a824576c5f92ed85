import { useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";

import { api, type Problem, type Schemas } from "@/api/client";
import { keptWhile, tableQuery } from "@/api/queries";
import {
  idOf,
  NOTHING_OPENED,
  readOpened,
  type Centre,
  type OpenedNode,
  type PathNode,
  type Side,
  type StepsOf,
} from "@/views/explain/paths/tree";
import type { ViewSearch } from "@/state/address";
import { useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";

const USUAL_MOST = 5;
const MORE = 20;
const MOST = 200;
export const ALONG: Record<NonNullable<ViewSearch["along"]> | "pages", StepsOf> = {
  pages: "pages",
  groups: "page groups",
  events: "events",
  both: "pages and events",
};

interface Paths {
  centre: Centre | null;
  steps: StepsOf;
  along: keyof typeof ALONG;
  result: Schemas["PathsResult"] | undefined;
  isStale: boolean;
  isEmpty: boolean;
  error: Problem | null;
  again: () => void;
  isTable: boolean;
  showAs: (isTable: boolean) => void;
  centreOn: (centre: Centre) => void;
  goAlong: (along: keyof typeof ALONG) => void;
  /** Opens nodes; of `n more` further ones are told by name. */
  open: (nodes: readonly PathNode[]) => void;
  close: (node: PathNode) => void;
  begin: () => void;
}

/** The paths that the address names; without a centre, from the page that most who reached the goal saw. */
export function usePaths(): Paths {
  const { site } = useSite();
  const { period, versus, segment, goal, live } = useView();
  const search = useSearch({ from: "/s/$site" });
  const navigate = useNavigate();
  const [opened, setOpened] = useShown("opened", NOTHING_OPENED, readOpened);
  const asked = { period, versus: "none" as const, goal: goal?.id ?? null, segment, dimensions: ["page"], limit: 1 };
  const usual = useQuery({
    ...tableQuery(
      site.key,
      { ...asked, measures: goal ? ["converting_visits", "visits"] : ["visits"], sort: goal ? "converting_visits" : "visits" },
      { live },
    ),
    enabled: !search.centre,
  });
  const centre = centreOf(search.centre) ?? (usual.data?.rows[0] ? { dimension: "page", value: usual.data.rows[0].keys[0] ?? "" } : null);
  const along = search.along ?? "pages";
  const steps = ALONG[along];
  const body: Schemas["PathsRequest"] = {
    period,
    versus,
    segment,
    goal: goal?.id ?? null,
    steps,
    centre: centre ?? { dimension: "page", value: "/" },
    forward: opened.forward,
    backward: opened.backward,
  };
  const isSame = (was: Schemas["PathsRequest"]) =>
    was.steps === steps && was.centre.dimension === centre?.dimension && was.centre.value === centre.value;
  const paths = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/paths",
      { params: { path: { site: site.key } }, body },
      { enabled: centre !== null, placeholderData: keptWhile(isSame), refetchInterval: live ? 4_000 : false },
    ),
  );
  const result = centre ? paths.data : undefined;
  const go = (to: Pick<ViewSearch, "centre" | "along">) =>
    void navigate({ to: ".", search: (now: ViewSearch) => ({ ...now, ...to, shown: undefined }) });
  /** What is opened of a side now, said or not. */
  const nodesOf = (side: Side): OpenedNode[] =>
    opened[side] ?? (result?.[side] ?? []).map((one) => ({ chain: one.chain, most: USUAL_MOST }));
  return {
    centre,
    steps,
    along,
    result,
    isStale: paths.isPlaceholderData,
    isEmpty: !search.centre && usual.data?.rows.length === 0,
    error: paths.error ?? usual.error,
    again: () => void Promise.all([paths.refetch(), usual.refetch()]),
    isTable: opened.isTable,
    showAs: (isTable) => setOpened((was) => ({ ...was, isTable })),
    centreOn: (to) => go({ centre: `${to.dimension}:${to.value}` }),
    goAlong: (to) => go({ along: to === "pages" ? undefined : to }),
    open: (nodes) =>
      setOpened((was) => {
        const sides = { forward: nodesOf("forward"), backward: nodesOf("backward") };
        for (const { side, kind, chain } of nodes) {
          const id = idOf(chain);
          if (kind === "more")
            sides[side] = sides[side].map((one) => (idOf(one.chain) === id ? { ...one, most: Math.min(one.most + MORE, MOST) } : one));
          else if (!sides[side].some((one) => idOf(one.chain) === id))
            sides[side] = [...sides[side], { chain: [...chain], most: USUAL_MOST }];
        }
        return { ...was, ...sides };
      }),
    close: ({ side, chain }) =>
      setOpened((was) => {
        const id = idOf(chain);
        // What lies behind it goes with it.
        const kept = nodesOf(side).filter((one) => idOf(one.chain) !== id && !idOf(one.chain).startsWith(`${id}\n`));
        return { ...was, forward: nodesOf("forward"), backward: nodesOf("backward"), [side]: kept };
      }),
    begin: () => go({ centre: undefined, along: undefined }),
  };
}

/** The centre as the address names it: `page:/courses`. */
function centreOf(text: string | undefined): Centre | null {
  const cut = text?.indexOf(":") ?? -1;
  return text && cut > 0 && cut < text.length - 1 ? { dimension: text.slice(0, cut), value: text.slice(cut + 1) } : null;
}
