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
  children: ReactNode;
}

/** A small form that hangs on what it changes. */
export function Popover({ trigger, label, open, onOpenChange, align = "start", children }: PopoverProps) {
  const controlled = open === undefined ? {} : { open };
  return (
    <Radix.Root {...controlled} {...(onOpenChange ? { onOpenChange } : {})}>
      <Radix.Trigger asChild>{trigger}</Radix.Trigger>
      <Radix.Portal>
        <Radix.Content
          aria-label={label}
          className={clsx(SURFACE, "max-w-[min(340px,92vw)] min-w-60 py-1.5")}
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
