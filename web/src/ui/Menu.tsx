import { clsx } from "clsx";
import { DropdownMenu } from "radix-ui";
import type { ComponentProps, ReactNode } from "react";

import type { Option } from "@/ui/Select";
import { ITEM, SURFACE } from "@/ui/surfaces";

interface MenuProps {
  trigger: ReactNode;
  /** What stands above the items. */
  label?: ReactNode;
  side?: "bottom" | "right";
  align?: "start" | "end";
  children: ReactNode;
}

const CHOSEN = "data-[state=checked]:font-semibold data-[state=checked]:text-magenta aria-current:font-semibold aria-current:text-magenta";

/** What can be done with something, or gone to from it. */
export function Menu({ trigger, label, side = "bottom", align = "start", children }: MenuProps) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className={clsx(SURFACE, "max-w-[min(340px,92vw)] min-w-45 py-1.5")}
          side={side}
          align={align}
          sideOffset={6}
          collisionPadding={8}
        >
          {label && <DropdownMenu.Label className="border-b border-hairline px-3.5 pt-1.5 pb-2">{label}</DropdownMenu.Label>}
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

export function MenuItem({ className, ...rest }: ComponentProps<typeof DropdownMenu.Item>) {
  return <DropdownMenu.Item className={clsx(ITEM, CHOSEN, className)} {...rest} />;
}

interface MenuChoiceProps<V extends string> {
  value: V;
  options: readonly Required<Option<V>>[];
  onChange: (value: V) => void;
}

/** One of a few, the one that holds marked. */
export function MenuChoice<V extends string>({ value, options, onChange }: MenuChoiceProps<V>) {
  return (
    <DropdownMenu.RadioGroup value={value} onValueChange={(to) => onChange(to as V)}>
      {options.map((one) => (
        <DropdownMenu.RadioItem key={one.value} value={one.value} className={clsx(ITEM, CHOSEN)}>
          {one.label}
        </DropdownMenu.RadioItem>
      ))}
    </DropdownMenu.RadioGroup>
  );
}
