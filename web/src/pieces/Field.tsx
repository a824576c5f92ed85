import { useId, type ReactNode } from "react";

export interface Control {
  id: string;
  "aria-invalid": true | undefined;
  "aria-describedby": string | undefined;
}

interface FieldProps {
  label: string;
  hint?: ReactNode;
  /** What is wrong with what was typed. */
  error?: string | null | undefined;
  children: (control: Control) => ReactNode;
}

/** One field of a form: its label, the control, and beside it what is meant or what is wrong. */
export function Field({ label, hint, error, children }: FieldProps) {
  const id = useId();
  const message = error ?? hint;
  return (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      {children({ id, "aria-invalid": error ? true : undefined, "aria-describedby": message ? `${id}-message` : undefined })}
      {message && (
        <p id={`${id}-message`} className={error ? "wrong" : "quiet"} role={error ? "alert" : undefined}>
          {message}
        </p>
      )}
    </div>
  );
}
