import { useEffect, useMemo, useState } from "react";
import { useWatch, type FieldValues, type UseFormReturn } from "react-hook-form";

import type { Entry } from "@/forms/useEntry";
import { usePlaces, type FieldFault } from "@/forms/usePlaces";
import { useDebouncedValue } from "@/state/useDebouncedValue";

interface Typed<Values extends FieldValues> {
  /** What it holds, and what it held when nobody had typed for a moment. */
  typed: Values;
  settled: Values;
  isSettled: boolean;
}

/** What stands in a form that something is asked with as it is typed, and that is never sent. */
export function useTyped<Values extends FieldValues>(form: UseFormReturn<Values>, milliseconds: number): Typed<Values> {
  const text = JSON.stringify(useWatch({ control: form.control }));
  const rested = useDebouncedValue(text, milliseconds);
  const [typed, settled] = useMemo(() => [text, rested].map((one) => JSON.parse(one) as Values) as [Values, Values], [text, rested]);
  return { typed, settled, isSettled: text === rested };
}

interface Judged<Values extends FieldValues> extends Pick<Entry<Values>, "form" | "place"> {
  /** What is wrong with no field in sight. */
  trouble: string | null;
}

/** What the answer to such a form says stands beside its fields, until the next answer. */
export function useJudged<Values extends FieldValues>(
  form: UseFormReturn<Values>,
  error: { errors: FieldFault[]; detail: string } | null,
): Judged<Values> {
  const { place, tell } = usePlaces(form);
  const [hasStrangers, setStrangers] = useState(false);
  const said = JSON.stringify(error?.errors ?? []);
  useEffect(() => {
    form.clearErrors();
    setStrangers(tell(JSON.parse(said) as FieldFault[]));
  }, [form, tell, said]);
  return { form, place, trouble: error && (!error.errors.length || hasStrangers) ? error.detail : null };
}
