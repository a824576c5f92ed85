import { useBlocker } from "@tanstack/react-router";
import { createContext, useCallback, useContext, useEffect, useId, useMemo, useRef, useState, type ReactNode } from "react";

import { Confirm } from "@/ui/Dialog";

interface Leaving {
  /** Does it at once, or once it was said that what is unsaved may be lost. */
  leave: (action: () => void) => void;
  setUnsaved: (id: string, isUnsaved: boolean) => void;
}

const Context = createContext<Leaving>({ leave: (action) => action(), setUnsaved: () => undefined });

/** Asks before a form that was changed is left, whichever way. */
export function LeavingProvider({ children }: { children: ReactNode }) {
  const unsaved = useRef(new Set<string>());
  const [action, setAction] = useState<(() => void) | null>(null);
  const blocker = useBlocker({
    shouldBlockFn: ({ current, next }) => unsaved.current.size > 0 && current.pathname !== next.pathname,
    enableBeforeUnload: () => unsaved.current.size > 0,
    withResolver: true,
  });
  const leave = useCallback((wanted: () => void) => {
    if (unsaved.current.size) setAction(() => wanted);
    else wanted();
  }, []);
  const setUnsaved = useCallback((id: string, isUnsaved: boolean) => {
    if (isUnsaved) unsaved.current.add(id);
    else unsaved.current.delete(id);
  }, []);
  const value = useMemo(() => ({ leave, setUnsaved }), [leave, setUnsaved]);
  const isBlocked = blocker.status === "blocked";
  const stay = () => {
    setAction(null);
    if (isBlocked) blocker.reset();
  };
  const go = () => {
    unsaved.current.clear();
    action?.();
    setAction(null);
    if (isBlocked) blocker.proceed();
  };
  return (
    <Context.Provider value={value}>
      {children}
      <Confirm open={isBlocked || action !== null} title="Leave without saving?" verb="Leave" onDo={go} onClose={stay}>
        What was changed in the form is lost then.
      </Confirm>
    </Context.Provider>
  );
}

export const useLeave = (): Leaving["leave"] => useContext(Context).leave;

/** Has whoever leaves asked first, as long as something is unsaved. */
export function useUnsaved(isUnsaved: boolean): void {
  const { setUnsaved } = useContext(Context);
  const id = useId();
  useEffect(() => {
    setUnsaved(id, isUnsaved);
    return () => setUnsaved(id, false);
  }, [setUnsaved, id, isUnsaved]);
}
