import { clsx } from "clsx";
import { Popover as Radix } from "radix-ui";
import type { ReactNode } from "react";

import { SURFACE } from "@/ui/surfaces";

interface PopoverProps {
  trigger: ReactNode;
  label: string;
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
  align?: "start" | "end";
  /** Whether it holds sentences, not single fields. */
  isWide?: boolean;
  children: ReactNode;
}

/** A small form that hangs on what it changes. */
export function Popover({ trigger, label, open, onOpenChange, align = "start", isWide = false, children }: PopoverProps) {
  const controlled = open === undefined ? {} : { open };
  return (
    <Radix.Root {...controlled} {...(onOpenChange ? { onOpenChange } : {})}>
      <Radix.Trigger asChild>{trigger}</Radix.Trigger>
      <Radix.Portal>
        <Radix.Content
          aria-label={label}
          className={clsx(SURFACE, isWide ? "w-[min(480px,92vw)]" : "max-w-[min(340px,92vw)] min-w-60", "py-1.5")}
          align={align}
          sideOffset={6}
          collisionPadding={8}
        >
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
