import { Checkbox as RadixCheckbox, RadioGroup as RadixRadioGroup, Switch as RadixSwitch } from "radix-ui";
import { useId, type ReactNode } from "react";

import type { Option } from "@/ui/Select";
import { Check } from "@/ui/icons";

interface ToggleProps {
  label: ReactNode;
  /** What it means, under the label. */
  hint?: ReactNode;
  checked: boolean;
  disabled?: boolean;
  onChange: (checked: boolean) => void;
}

const LINE = "flex items-start gap-2";
const BOXED = "inline-grid size-4 mt-0.5 shrink-0 place-items-center border border-hairline-firm bg-paper text-on-ink disabled:opacity-60";

function Labelled({ id, label, hint, children }: { id: string; label: ReactNode; hint?: ReactNode; children: ReactNode }) {
  return (
    <div className={LINE}>
      {children}
      <span className="min-w-0">
        <label htmlFor={id}>{label}</label>
        {hint && (
          <span id={`${id}-hint`} className="block text-label leading-[18px] text-ink-2">
            {hint}
          </span>
        )}
      </span>
    </div>
  );
}

/** Something that holds or does not, when the form is saved. */
export function Checkbox({ label, hint, checked, disabled, onChange }: ToggleProps) {
  const id = useId();
  return (
    <Labelled id={id} label={label} hint={hint}>
      <RadixCheckbox.Root
        id={id}
        className={`${BOXED} rounded-xs data-[state=checked]:border-teal data-[state=checked]:bg-teal`}
        checked={checked}
        disabled={disabled}
        aria-describedby={hint ? `${id}-hint` : undefined}
        onCheckedChange={(to) => onChange(to === true)}
      >
        <RadixCheckbox.Indicator>
          <Check />
        </RadixCheckbox.Indicator>
      </RadixCheckbox.Root>
    </Labelled>
  );
}

/** Something that is on or off at once. */
export function Switch({ label, hint, checked, disabled, onChange }: ToggleProps) {
  const id = useId();
  return (
    <Labelled id={id} label={label} hint={hint}>
      <RadixSwitch.Root
        id={id}
        className="inline-flex h-4 w-7 mt-0.5 shrink-0 items-center rounded-full border border-hairline-firm bg-paper px-px disabled:opacity-60 data-[state=checked]:border-teal data-[state=checked]:bg-teal"
        checked={checked}
        disabled={disabled}
        aria-describedby={hint ? `${id}-hint` : undefined}
        onCheckedChange={onChange}
      >
        <RadixSwitch.Thumb className="size-3 rounded-full bg-ink-2 transition-transform duration-(--duration-quick) data-[state=checked]:translate-x-3 data-[state=checked]:bg-on-ink" />
      </RadixSwitch.Root>
    </Labelled>
  );
}

interface RadioGroupProps<V extends string> {
  /** What is chosen between, for whoever does not see it. */
  label: string;
  value: V;
  options: readonly (Option<V> & { hint?: ReactNode })[];
  disabled?: boolean;
  /** Whether they stand beside each other. */
  isRow?: boolean;
  onChange: (value: V) => void;
}

/** One of a few, all of them in view. */
export function RadioGroup<V extends string>({ label, value, options, disabled, isRow = false, onChange }: RadioGroupProps<V>) {
  const id = useId();
  return (
    <RadixRadioGroup.Root
      aria-label={label}
      className={isRow ? "flex flex-wrap gap-x-6 gap-y-1.5" : "grid gap-1.5"}
      value={value}
      disabled={disabled}
      onValueChange={(to) => onChange(to as V)}
    >
      {options.map((one) => (
        <Labelled key={one.value} id={`${id}-${one.value}`} label={one.label ?? one.value} hint={one.hint}>
          <RadixRadioGroup.Item
            id={`${id}-${one.value}`}
            value={one.value}
            className={`${BOXED} rounded-full data-[state=checked]:border-teal`}
          >
            <RadixRadioGroup.Indicator className="size-2 rounded-full bg-teal" />
          </RadixRadioGroup.Item>
        </Labelled>
      ))}
    </RadixRadioGroup.Root>
  );
}
