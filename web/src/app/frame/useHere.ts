import { useMatches } from "@tanstack/react-router";

import { STAGES, type Stage } from "@/app/stages";

interface Here {
  /** The stage that is in hand. */
  stage: Stage | undefined;
  /** What the view is called. */
  name: string | undefined;
  /** Where the router has it. */
  path: string;
  /** Whether the view stays what it is whatever days and segment are chosen. */
  isTimeless: boolean;
}

export function useHere(): Here {
  const path = useMatches({ select: (matches) => matches.at(-1)?.fullPath ?? "" });
  const stage = STAGES.find((one) => one.views.some((view) => path.startsWith(view.path)));
  const view = stage?.views.find((one) => path.startsWith(one.path));
  return { stage, name: view?.name, path, isTimeless: view?.isTimeless ?? false };
}
