import { Toast as Radix } from "radix-ui";
import { useSyncExternalStore } from "react";

import { Button } from "@/ui/Button";
import { Cross } from "@/ui/icons";

interface Notice {
  id: number;
  text: string;
  undo?: (() => void) | undefined;
  /** When it was said, by the clock of the page. */
  at: number;
}

const SHOWN_MS = 10_000;
let notices: readonly Notice[] = [];
let last = 0;
const listeners = new Set<() => void>();

function set(to: readonly Notice[]): void {
  notices = to;
  listeners.forEach((listener) => listener());
}

const dismiss = (id: number): void => set(notices.filter((one) => one.id !== id));

function subscribe(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** Says what was done, and takes it back where that can be done. */
export function notify(text: string, undo?: () => void): void {
  set([...notices.slice(-2), { id: ++last, text, undo, at: performance.now() }]);
}

/** Takes back what the newest notice says that can be taken back, if that was said after a moment (`performance.now()`); whether there was one. */
export function undoNotice(after: number): boolean {
  const newest = notices.findLast((one) => one.undo && one.at > after);
  if (!newest) return false;
  dismiss(newest.id);
  newest.undo?.();
  return true;
}

/** Nothing that was said before is shown to whoever comes next. */
export const forgetNotices = (): void => set([]);

/** Where notices stand, once on a page. */
export function Notices() {
  const shown = useSyncExternalStore(subscribe, () => notices);
  return (
    <Radix.Provider duration={SHOWN_MS} label="Notice">
      {shown.map((one) => (
        <Radix.Root
          key={one.id}
          className="flex items-center gap-4 rounded-xs border border-ink-2 bg-sheet px-4 py-2.5"
          onOpenChange={(open) => !open && dismiss(one.id)}
        >
          <Radix.Description className="mr-auto min-w-0 wrap-anywhere">{one.text}</Radix.Description>
          {one.undo && (
            <Radix.Action asChild altText="Undo with Ctrl and Z, or in the history of what was changed" onClick={one.undo}>
              <Button kind="link">Undo</Button>
            </Radix.Action>
          )}
          <Radix.Close asChild>
            <Button kind="icon" aria-label="Close">
              <Cross />
            </Button>
          </Radix.Close>
        </Radix.Root>
      ))}
      <Radix.Viewport className="fixed bottom-4 left-1/2 z-40 max-[720px]:bottom-16 grid w-[min(480px,94vw)] -translate-x-1/2 gap-2" />
    </Radix.Provider>
  );
}
