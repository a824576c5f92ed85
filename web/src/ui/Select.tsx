import { clsx } from "clsx";
import { getNonce } from "get-nonce";
import { Select as Radix } from "radix-ui";
import type { ComponentProps } from "react";

import { BOX } from "@/ui/Field";
import { Check, Chevron } from "@/ui/icons";
import { ITEM, SURFACE } from "@/ui/surfaces";

export interface Option<V extends string = string> {
  value: V;
  label?: string;
}

/** Options of a record from value to words. */
export const optionsOf = <V extends string>(words: Record<V, string>): Required<Option<V>>[] =>
  (Object.entries(words) as [V, string][]).map(([value, label]) => ({ value, label }));

// The primitive keeps the empty text for itself.
const NOTHING = "\0";

interface SelectProps<V extends string> extends Omit<ComponentProps<"button">, "value" | "onChange"> {
  value: V;
  options: readonly (Option<V> | V)[];
  onChange: (value: V) => void;
}

/** One of a few values. Letters go to the first value that begins with them. */
export function Select<V extends string>({ value, options, onChange, className = "w-full", disabled, ...rest }: SelectProps<V>) {
  const all = options.map((one) =>
    typeof one === "string" ? { value: one, label: one } : { value: one.value, label: one.label ?? one.value },
  );
  return (
    <Radix.Root value={value || NOTHING} onValueChange={(to) => onChange((to === NOTHING ? "" : to) as V)} disabled={disabled}>
      <Radix.Trigger className={clsx(BOX, "flex items-center justify-between gap-2 text-start", className)} {...rest}>
        <span className="truncate">
          <Radix.Value />
        </span>
        <Chevron />
      </Radix.Trigger>
      <Radix.Portal>
        <Radix.Content className={clsx(SURFACE, "z-30 min-w-(--radix-select-trigger-width) py-1.5")} position="popper" sideOffset={4}>
          {/* It puts in a style of its own, which the page allows only with what it was given. */}
          <Radix.Viewport nonce={getNonce()}>
            {all.map((one) => (
              <Radix.Item key={one.value} value={one.value || NOTHING} className={clsx(ITEM, "data-[state=checked]:font-semibold")}>
                <Radix.ItemText>{one.label}</Radix.ItemText>
                <Radix.ItemIndicator>
                  <Check />
                </Radix.ItemIndicator>
              </Radix.Item>
            ))}
          </Radix.Viewport>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
