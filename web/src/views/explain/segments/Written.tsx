import { clsx } from "clsx";
import type { ReactNode } from "react";

import { Button } from "@/ui/Button";
import { Combobox, type Suggestion } from "@/ui/Combobox";
import { FieldError, Input } from "@/ui/Field";
import { Cross } from "@/ui/icons";

/** A word of a sentence that is typed where it stands. */
const INLINE = "min-w-0 border-0 border-b border-dotted border-teal !bg-transparent !px-0.5 py-0 !min-h-6 leading-6 rounded-none";

interface WordProps {
  label: string;
  value: string;
  suggestions: readonly (Suggestion | string)[];
  onChange: (value: string) => void;
  isWrong: boolean;
  placeholder?: string;
  /** Whether it was just added, and is to be filled in. */
  isNew?: boolean;
}

/** A word with what it may be, to choose from. It is as wide as what stands in it. */
export function Word({ label, value, suggestions, onChange, isWrong, placeholder = "…", isNew = false }: WordProps) {
  return (
    <span
      className="inline-block max-w-full min-w-0"
      style={{ width: `${Math.min(Math.max(value.length, placeholder.length, 8) + 3, 44)}ch` }}
    >
      <Combobox
        aria-label={label}
        className={clsx("w-full", INLINE)}
        value={value}
        suggestions={suggestions}
        onChange={onChange}
        aria-invalid={isWrong}
        placeholder={placeholder}
        autoFocus={isNew}
      />
    </span>
  );
}

interface NumberWordProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  isWrong: boolean;
  isNew?: boolean;
  placeholder?: string;
}

export function NumberWord({ label, value, onChange, isWrong, isNew = false, placeholder }: NumberWordProps) {
  return (
    <Input
      aria-label={label}
      inputMode="decimal"
      className={clsx("!w-[7ch]", INLINE)}
      value={value}
      placeholder={placeholder}
      aria-invalid={isWrong}
      autoFocus={isNew}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}

interface LineProps {
  /** What is taken away with its cross. */
  remove: string;
  onRemove: () => void;
  fault?: string | undefined;
  className?: string;
  /** Stands before the cross. */
  beside?: ReactNode;
  children: ReactNode;
}

/** A line of the tree: a sentence whose dotted words are its controls. */
export function Line({ remove, onRemove, fault, className, beside, children }: LineProps) {
  return (
    <div className={clsx("border-b border-hairline py-1", className)}>
      <div className="flex items-start gap-2">
        <div className="flex min-w-0 flex-1 flex-wrap items-baseline gap-x-2 gap-y-1 leading-6 text-ink-2">{children}</div>
        {beside}
        <Button kind="icon" aria-label={`Remove: ${remove}`} onClick={onRemove}>
          <Cross />
        </Button>
      </div>
      {fault && <FieldError>{fault}</FieldError>}
    </div>
  );
}
