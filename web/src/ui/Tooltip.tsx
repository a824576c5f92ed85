import { Tooltip as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** A few words more about something that can be focused; nothing stands only here. */
export function Tooltip({ text, children }: { text: ReactNode; children: ReactNode }) {
  return (
    <Radix.Provider delayDuration={300}>
      <Radix.Root>
        <Radix.Trigger asChild>{children}</Radix.Trigger>
        <Radix.Portal>
          <Radix.Content
            className="z-30 max-w-80 rounded-xs border border-ink-2 bg-sheet px-2.5 py-1.5 text-label wrap-anywhere text-ink"
            sideOffset={4}
          >
            {text}
          </Radix.Content>
        </Radix.Portal>
      </Radix.Root>
    </Radix.Provider>
  );
}
