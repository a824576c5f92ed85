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
  wrong?: string | null | undefined;
  children: (control: Control) => ReactNode;
}

/** One field of a form: its label, the control, and beside it what is meant or what is wrong. */
export function Field({ label, hint, wrong, children }: FieldProps) {
  const id = useId();
  const said = wrong ?? hint;
  return (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      {children({ id, "aria-invalid": wrong ? true : undefined, "aria-describedby": said ? `${id}-said` : undefined })}
      {said && (
        <p id={`${id}-said`} className={wrong ? "wrong" : "quiet"} role={wrong ? "alert" : undefined}>
          {said}
        </p>
      )}
    </div>
  );
}
