import { clsx } from "clsx";
import { Command } from "cmdk";
import { Popover } from "radix-ui";
import { useLayoutEffect, useState, type ComponentProps, type KeyboardEvent } from "react";

import { BOX } from "@/ui/Field";
import { ITEM, SURFACE } from "@/ui/surfaces";

export interface Suggestion {
  value: string;
  /** How often it was seen, said beside it. */
  count?: string;
}

interface ComboboxProps extends Omit<ComponentProps<"input">, "value" | "onChange"> {
  value: string;
  suggestions: readonly (Suggestion | string)[];
  /** Whether several values may stand there, with commas; what is suggested is for the last of them. */
  several?: boolean;
  onChange: (value: string) => void;
}

const MAX_SHOWN = 50;

/** A text that may be anything, with values that are known to choose from: by the arrow keys, never in the way of Tab. */
export function Combobox({ value, suggestions, several = false, onChange, onBlur, className = "w-full", ...rest }: ComboboxProps) {
  const [open, setOpen] = useState(false);
  // The suggestion that the arrow keys stand on; none is gone to by itself, so that Enter never takes one that nobody chose.
  const [current, setCurrent] = useState("");
  const [moved, setMoved] = useState(false);
  const [active, setActive] = useState<string>();
  const [list, setList] = useState<HTMLDivElement | null>(null);
  const before = several ? value.slice(0, value.lastIndexOf(",") + 1) : "";
  const typed = value.slice(before.length).trim();
  const query = typed.toLowerCase();
  const all = suggestions.map((one) => (typeof one === "string" ? { value: one } : one));
  const fitting = all.filter((one) => one.value !== typed && one.value.toLowerCase().includes(query)).slice(0, MAX_SHOWN);
  const shown = open && fitting.length > 0;
  const at = moved ? current : "";
  useLayoutEffect(() => {
    setActive(shown && at ? list?.querySelector("[aria-selected=true]")?.id : undefined);
  }, [shown, at, list]);
  const leaveSuggestions = () => {
    setMoved(false);
    setCurrent("");
  };
  const take = (one: string) => {
    onChange(before ? `${before} ${one}` : one);
    setOpen(false);
    leaveSuggestions();
  };
  const pressed = (event: KeyboardEvent) => {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      setOpen(true);
      setMoved(true);
      if (!shown) event.stopPropagation();
    } else if (event.key === "Escape" && shown) {
      event.stopPropagation();
      setOpen(false);
    } else if (event.key !== "Enter" || !shown || !at) event.stopPropagation(); // the field's own keys, or the form's
  };
  return (
    <Popover.Root open={shown} onOpenChange={setOpen}>
      <Command shouldFilter={false} vimBindings={false} value={at} onValueChange={setCurrent} className="min-w-0">
        <Popover.Anchor asChild>
          <input
            {...rest}
            role="combobox"
            autoComplete="off"
            aria-expanded={shown}
            aria-controls={shown ? list?.id : undefined}
            aria-activedescendant={active}
            aria-autocomplete="list"
            className={clsx(BOX, className)}
            value={value}
            onClick={() => setOpen(true)}
            onBlur={(event) => {
              setOpen(false);
              onBlur?.(event);
            }}
            onKeyDownCapture={pressed}
            onChange={(event) => {
              onChange(event.target.value);
              setOpen(true);
              leaveSuggestions();
            }}
          />
        </Popover.Anchor>
        <Popover.Portal>
          <Popover.Content
            role="none"
            className={clsx(SURFACE, "z-30 w-(--radix-popover-trigger-width) min-w-48 py-1.5")}
            align="start"
            sideOffset={4}
            onInteractOutside={(event) => event.preventDefault()}
            onOpenAutoFocus={(event) => event.preventDefault()}
            onCloseAutoFocus={(event) => event.preventDefault()}
          >
            <Command.List ref={setList} label="Known values" className="max-h-76 overflow-auto">
              {fitting.map((one) => (
                <Command.Item
                  key={one.value}
                  value={one.value}
                  className={clsx(ITEM, "hover:bg-sea-1")}
                  onPointerDown={(event) => event.preventDefault()}
                  onSelect={() => take(one.value)}
                >
                  <span className="min-w-0 wrap-anywhere">{one.value}</span>
                  {one.count && <span className="whitespace-nowrap text-ink-2">{one.count}</span>}
                </Command.Item>
              ))}
            </Command.List>
          </Popover.Content>
        </Popover.Portal>
      </Command>
    </Popover.Root>
  );
}
