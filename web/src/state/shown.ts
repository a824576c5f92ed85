import { useNavigate, useSearch } from "@tanstack/react-router";
import { useCallback, useMemo } from "react";

import { showing, type ViewSearch } from "@/state/address";

/**
 * What one part of a view shows. It stands in the address, so that this brings the view back as it was; going to another view leaves it behind. `read`
 * makes sense of what an address says, null of what makes none; it and `usual` stay the same from turn to turn.
 */
export function useShown<T>(part: string, usual: T, read: (given: unknown) => T | null): [T, (change: (was: T) => T) => void] {
  const navigate = useNavigate();
  const text = useSearch({ from: "/s/$site", select: ({ shown }) => JSON.stringify(shown?.[part]) });
  const of = useCallback((said: unknown) => (said === undefined ? null : read(said)) ?? usual, [read, usual]);
  const shown = useMemo(() => of(text === undefined ? text : JSON.parse(text)), [of, text]);
  const set = useCallback(
    (change: (was: T) => T) => {
      const next = (now: ViewSearch): ViewSearch => {
        const to = change(of(now.shown?.[part]));
        return showing(now, part, JSON.stringify(to) === JSON.stringify(usual) ? undefined : to);
      };
      void navigate({ to: ".", search: next, replace: true, resetScroll: false });
    },
    [navigate, of, part, usual],
  );
  return [shown, set];
}

export const isText = (given: unknown): given is string => typeof given === "string" && given.length <= 2_000;

/** A text or none. */
export const readText = (given: unknown): string | null => (isText(given) ? given : null);

/** Whether something is so. */
export const readYes = (given: unknown): boolean | null => (typeof given === "boolean" ? given : null);
