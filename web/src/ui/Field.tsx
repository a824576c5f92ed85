import { clsx } from "clsx";
import { useId, type ComponentProps, type ReactNode } from "react";

export interface Control {
  id: string;
  "aria-invalid": true | undefined;
  "aria-describedby": string | undefined;
}

interface FieldProps {
  label: string;
  hint?: ReactNode;
  /** What is wrong with what was typed; it stands beside the hint, which still holds. */
  error?: string | null | undefined;
  className?: string;
  children: (control: Control) => ReactNode;
}

/** One field of a form: its label, the control, and beside it what is meant and what is wrong. */
export function Field({ label, hint, error, className, children }: FieldProps) {
  const id = useId();
  const told = [hint && `${id}-hint`, error && `${id}-error`].filter(Boolean).join(" ");
  return (
    <div className={clsx("grid min-w-0 gap-[3px]", className)}>
      <label htmlFor={id} className="text-label text-ink-2">
        {label}
      </label>
      {children({ id, "aria-invalid": error ? true : undefined, "aria-describedby": told || undefined })}
      {hint && (
        <p id={`${id}-hint`} className="text-label leading-[18px] text-ink-2">
          {hint}
        </p>
      )}
      {error && <FieldError id={`${id}-error`}>{error}</FieldError>}
    </div>
  );
}

/** What is wrong, in words. */
export function FieldError({ id, children }: { id?: string; children: ReactNode }) {
  return (
    <p id={id} className="text-label leading-[18px] text-rust" role="alert">
      {children}
    </p>
  );
}

export const BOX =
  "min-h-8 min-w-0 rounded-xs border border-hairline-firm bg-paper px-2 text-ink placeholder:text-ink-2 aria-invalid:border-rust disabled:opacity-60";

export function Input({ className = "w-full", ...rest }: ComponentProps<"input">) {
  return <input className={clsx(BOX, className)} {...rest} />;
}

export function Textarea({ className = "w-full", ...rest }: ComponentProps<"textarea">) {
  return <textarea className={clsx(BOX, "resize-y py-1.5 leading-5", className)} {...rest} />;
}
