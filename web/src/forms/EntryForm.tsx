import { clsx } from "clsx";
import { useEffect, useState, type ReactNode } from "react";
import { useController, type ControllerRenderProps, type FieldPath, type FieldPathValue, type FieldValues } from "react-hook-form";

import { useUnsaved } from "@/forms/leaving";
import type { Entry } from "@/forms/useEntry";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Field, FieldError, type Control } from "@/ui/Field";

interface EntryFormProps<Values extends FieldValues> {
  entry: Entry<Values>;
  label: string;
  /** Whether it can be filled in at all. */
  canEdit?: boolean;
  className?: string;
  /** How the fields stand, when not below each other. */
  layout?: string;
  /** Whether what was typed is worth a question when the form is left. */
  isKept?: boolean;
  children: ReactNode;
  /** Stands at the foot, behind what is wrong; without it the form has no box of its own, and its parts stand and end as they like. */
  foot?: ReactNode;
}

/** A form: its fields, and at its foot what is wrong and what can be done. */
export function EntryForm<Values extends FieldValues>({
  entry,
  label,
  canEdit = true,
  className,
  layout,
  isKept = true,
  children,
  foot,
}: EntryFormProps<Values>) {
  const { box } = entry;
  const { isDirty, submitCount, errors } = entry.form.formState;
  // Whoever said what is wrong, the first field of it takes the focus.
  const isWrong = Object.keys(errors).length > 0;
  useEffect(() => {
    if (isWrong && submitCount) box.current?.querySelector<HTMLElement>("[aria-invalid=true]")?.focus();
  }, [isWrong, submitCount, box]);
  useUnsaved(isDirty && canEdit && isKept);
  return (
    <form
      ref={box}
      className={clsx(foot ? "grid gap-2" : "contents", className)}
      noValidate
      aria-label={label}
      data-dirty={isDirty}
      onSubmit={(event) => {
        event.preventDefault();
        entry.submit();
      }}
    >
      <fieldset disabled={!canEdit} className="contents">
        {layout ? <div className={layout}>{children}</div> : children}
      </fieldset>
      {foot && (
        <EntryFoot entry={entry} label={label}>
          {foot}
        </EntryFoot>
      )}
    </form>
  );
}

interface EntryFootProps<Values extends FieldValues> {
  entry: Entry<Values>;
  /** What the form is called. */
  label: string;
  children: ReactNode;
}

/** What is wrong with a form, and what can be done. */
export function EntryFoot<Values extends FieldValues>({ entry, label, children }: EntryFootProps<Values>) {
  return (
    <div className="mt-1 flex flex-wrap items-center gap-3">
      <WrongFields entry={entry} label={label} />
      {entry.trouble && <FieldError>{entry.trouble}</FieldError>}
      {children}
    </div>
  );
}

/** Which fields are wrong, each a way to it; where there are several, the first has the focus already. */
function WrongFields<Values extends FieldValues>({ entry, label }: { entry: Entry<Values>; label: string }) {
  const { errors, submitCount } = entry.form.formState;
  const [wrong, setWrong] = useState<{ id: string; name: string }[]>([]);
  const count = Object.keys(errors).filter((one) => one !== "root").length;
  useEffect(() => {
    const form = [...document.querySelectorAll("form")].find((one) => one.getAttribute("aria-label") === label);
    const controls = [...(form?.querySelectorAll<HTMLElement>("[aria-invalid=true][id]") ?? [])];
    setWrong(controls.map(({ id }) => ({ id, name: form?.querySelector(`label[for="${CSS.escape(id)}"]`)?.textContent ?? "" })));
  }, [label, count, submitCount, entry.isSending]);
  if (!count || wrong.length < 2) return null;
  return (
    <p className="w-full text-label text-rust" role="alert">
      Nothing was saved. Wrong:{" "}
      {wrong.map(({ id, name }, i) => (
        <span key={id}>
          {i > 0 && ", "}
          <Button kind="link" className="text-label" onClick={() => document.getElementById(id)?.focus()}>
            {name}
          </Button>
        </span>
      ))}
    </p>
  );
}

interface EntryFieldProps<Values extends FieldValues, Name extends FieldPath<Values>> {
  entry: Pick<Entry<Values>, "form" | "place">;
  name: Name;
  /** Under which names the server knows it, when not under its own. */
  of?: string | readonly string[];
  label: string;
  hint?: ReactNode;
  className?: string;
  children: (control: Control & ControllerRenderProps<Values, Name>) => ReactNode;
}

/** A field of a form: what is wrong with it stands beside it, whoever says so. */
export function EntryField<Values extends FieldValues, Name extends FieldPath<Values>>(props: EntryFieldProps<Values, Name>) {
  const { entry, name, of = name, label, hint, className, children } = props;
  const { field, fieldState } = useController({ name, control: entry.form.control });
  const known = typeof of === "string" ? of : of.join(" ");
  useEffect(() => entry.place(name, known.split(" ")));
  const error = fieldState.error?.message ?? (fieldState.error as { root?: { message?: string } } | undefined)?.root?.message;
  return (
    <Field label={label} hint={hint} error={error} {...(className ? { className } : {})}>
      {(control) => children({ ...control, ...field })}
    </Field>
  );
}

interface EntryToggleProps<Values extends FieldValues, Name extends FieldPath<Values>> {
  entry: Entry<Values>;
  name: Name;
  label: string;
  hint?: ReactNode;
}

/** Something that holds or does not. */
export function EntryToggle<Values extends FieldValues, Name extends FieldPath<Values>>(props: EntryToggleProps<Values, Name>) {
  const { entry, name, label, hint } = props;
  const { field } = useController({ name, control: entry.form.control });
  return <Checkbox label={label} hint={hint} checked={Boolean(field.value)} onChange={field.onChange} />;
}

interface EntryGroupProps<Values extends FieldValues, Name extends FieldPath<Values>> {
  entry: Entry<Values>;
  name: Name;
  of?: string;
  children: (group: {
    value: FieldPathValue<Values, Name>;
    onChange: (value: FieldPathValue<Values, Name>) => void;
    error: string | undefined;
  }) => ReactNode;
}

/** A part of a form that has fields of its own: lines, conditions. */
export function EntryGroup<Values extends FieldValues, Name extends FieldPath<Values>>(props: EntryGroupProps<Values, Name>) {
  const { entry, name, of = name, children } = props;
  const { field } = useController({ name, control: entry.form.control });
  useEffect(() => entry.place(name, [of]));
  return children({ value: field.value, onChange: field.onChange, error: entry.errorOf(of) });
}
