import { useCallback, useMemo, useRef } from "react";

import { useShown } from "@/state/shown";

/** What is opened in a drawer, kept in the address; closing it brings the focus back to where it was opened from. */
export function useOpened<Opened>(key: string, read: (given: unknown) => Opened | null) {
  const [opened, set] = useShown<Opened | null>(key, null, read);
  const from = useRef<HTMLElement | null>(null);
  const open = useCallback(
    (next: Opened) => {
      from.current = document.activeElement as HTMLElement | null;
      set(() => next);
    },
    [set],
  );
  const drawer = useMemo(
    () => ({
      onClose: () => set(() => null),
      onCloseAutoFocus: (event: Event) => {
        event.preventDefault();
        from.current?.focus();
      },
    }),
    [set],
  );
  return [opened, open, drawer] as const;
}
