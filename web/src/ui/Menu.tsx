import { clsx } from "clsx";
import { DropdownMenu, Slot } from "radix-ui";
import { useId, useLayoutEffect, useRef, useState, type ComponentProps, type ReactNode, type Ref, type RefObject } from "react";

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

/** What can be done with something, or gone to from it. A list has one for each row, so nothing of it is made before it is opened. */
export function Menu({ trigger, ...rest }: MenuProps) {
  const id = useId();
  const button = useRef<HTMLButtonElement>(null);
  const [opened, setOpened] = useState<"by pointer" | "by key" | null>(null);
  return (
    <>
      <Slot.Root
        ref={button}
        id={id}
        aria-haspopup="menu"
        aria-expanded={opened !== null}
        aria-controls={opened ? `${id}menu` : undefined}
        data-state={opened ? "open" : "closed"}
        onPointerDown={(event) => {
          if (event.defaultPrevented || event.button !== 0 || event.ctrlKey) return;
          if (!opened) event.preventDefault(); // the focus is for what opens
          setOpened(opened ? null : "by pointer");
        }}
        onKeyDown={(event) => {
          if (event.defaultPrevented || !["Enter", " ", "ArrowDown"].includes(event.key)) return;
          event.preventDefault();
          setOpened(opened && event.key !== "ArrowDown" ? null : "by key");
        }}
      >
        {trigger}
      </Slot.Root>
      {opened && <Opened id={id} button={button} isByKey={opened === "by key"} onClose={() => setOpened(null)} {...rest} />}
    </>
  );
}

interface OpenedProps extends Omit<MenuProps, "trigger"> {
  id: string;
  button: RefObject<HTMLButtonElement | null>;
  isByKey: boolean;
  onClose: () => void;
}

function Opened({ id, button, isByKey, onClose, label, side = "bottom", align = "start", children }: OpenedProps) {
  const isEntered = useRef(!isByKey);
  return (
    <DropdownMenu.Root modal={false} open onOpenChange={onClose}>
      <DropdownMenu.Trigger asChild>
        <Standing element={button} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          id={`${id}menu`}
          aria-labelledby={id}
          className={clsx(SURFACE, "max-w-[min(340px,92vw)] min-w-45 py-1.5")}
          side={side}
          align={align}
          sideOffset={6}
          collisionPadding={8}
          // By keys one comes to the first item, by a pointer to none. The kit cannot tell: it was not there when the key was pressed.
          onFocus={(event) => {
            if (isEntered.current || event.target !== event.currentTarget) return;
            isEntered.current = true;
            event.preventDefault();
            event.currentTarget.querySelector<HTMLElement>("[role^=menuitem]:not([data-disabled])")?.focus();
          }}
        >
          {label && <DropdownMenu.Label className="border-b border-hairline px-3.5 pt-1.5 pb-2">{label}</DropdownMenu.Label>}
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Hands on an element that stands there already: what opens hangs on it, and gives the focus back to it. */
function Standing({ element, ref }: { element: RefObject<HTMLElement | null>; ref?: Ref<HTMLElement> }) {
  useLayoutEffect(() => {
    if (typeof ref === "function") ref(element.current);
    else if (ref) ref.current = element.current;
  }, [element, ref]);
  return null;
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
