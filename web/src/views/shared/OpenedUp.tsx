import { createContext, lazy, Suspense, useCallback, useContext, useRef, useState, type ReactNode } from "react";

import type { SegmentPart } from "@/api/client";

const OpenedBehind = lazy(async () => ({ default: (await import("@/views/shared/OpenedBehind")).OpenedBehind }));

/** A number: a measure, of the visits that have these values, or of all. */
export interface Opened {
  measure: string;
  title: string;
  of?: { dimension: string; value: string }[];
  /** A whole segment that they are in. */
  part?: SegmentPart;
}

const Context = createContext<(opened: Opened) => void>(() => undefined);
export const useOpenUp = () => useContext(Context);

/** The drawer behind every number: what it is, its formula, its parts, its course. */
export function OpenedUpProvider({ children }: { children: ReactNode }) {
  const [opened, setOpened] = useState<Opened | null>(null);
  const from = useRef<HTMLElement | null>(null);
  const open = useCallback((next: Opened) => {
    from.current = document.activeElement as HTMLElement | null;
    setOpened(next);
  }, []);
  return (
    <Context.Provider value={open}>
      {children}
      {opened && (
        <Suspense>
          <OpenedBehind
            opened={opened}
            onClose={() => setOpened(null)}
            onCloseAutoFocus={(event) => {
              event.preventDefault();
              from.current?.focus();
            }}
          />
        </Suspense>
      )}
    </Context.Provider>
  );
}
