import { createContext, lazy, Suspense, useContext, useMemo, useState, type ReactNode } from "react";

/** What the logbook is opened with: a new entry, or what is there. */
interface Opened {
  writing: boolean;
  text?: string | undefined;
}

interface Logbook {
  read: () => void;
  /** Begin an entry, with words that are there already where it is about something. */
  write: (text?: string) => void;
}

const Context = createContext<Logbook>({ read: () => undefined, write: () => undefined });
export const useLogbook = () => useContext(Context);

const Drawer = lazy(async () => ({ default: (await import("@/views/logbook/Drawer")).Drawer }));

/** The logbook beside whatever is looked at. */
export function LogbookProvider({ children }: { children: ReactNode }) {
  const [opened, setOpened] = useState<Opened | null>(null);
  const logbook = useMemo(
    (): Logbook => ({ read: () => setOpened({ writing: false }), write: (text) => setOpened({ writing: true, text }) }),
    [],
  );
  return (
    <Context.Provider value={logbook}>
      {children}
      {opened && (
        <Suspense>
          <Drawer {...opened} onWriting={(writing) => setOpened({ writing })} onClose={() => setOpened(null)} />
        </Suspense>
      )}
    </Context.Provider>
  );
}
