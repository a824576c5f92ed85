import { useLocation } from "@tanstack/react-router";

import { STAGES, type Stage } from "@/app/stages";

/** The stage that is in hand, and the path of its view behind the site. */
export function useHere(): { stage: Stage | undefined; path: string } {
  const path = useLocation({ select: (location) => location.pathname })
    .split("/")
    .slice(3)
    .join("/");
  return { stage: STAGES.find((one) => one.views.some((view) => path.startsWith(view.path))), path };
}
