import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useReducer, useRef, type RefObject } from "react";
import { flushSync } from "react-dom";
import { useForm, useWatch, type DefaultValues, type FieldValues, type Path, type UseFormReturn } from "react-hook-form";

import { readAnew, type Touched } from "@/api/readAnew";
import { begins } from "@/forms/problems";
import { usePlaces, type Places } from "@/forms/usePlaces";

/** A form that is filled in and sent. */
export interface Entry<Values extends FieldValues> {
  form: UseFormReturn<Values>;
  /** The form on the screen. */
  box: RefObject<HTMLFormElement | null>;
  submit: () => void;
  /** Back to what it held before anything was typed. */
  cancel: () => void;
  isSending: boolean;
  isSent: boolean;
  /** What is wrong with no field in sight. */
  trouble: string | null;
  /** What is wrong with a part of a field, by the server's name for it. */
  errorOf: (...fields: string[]) => string | undefined;
  place: Places<Values>["place"];
}

interface EntryOptions<Values extends FieldValues, Saved> {
  /** What it begins with. What becomes of that elsewhere is followed for as long as nobody types. */
  values: DefaultValues<Values>;
  /** `began`: what it held before anything was typed. */
  send: (values: Values, began: Values) => Promise<Saved>;
  /** What is wrong before anything is sent, by field. */
  check?: (values: Values) => Partial<Record<Path<Values>, string>>;
  /** What the form holds once it is saved: what was sent, unless this says otherwise. */
  becomes?: (saved: Saved) => Values;
  after?: (saved: Saved) => void;
  /** What is read anew once it is sent. */
  touches: Touched;
}

/**
 * The one way forms are sent: what a problem document says stands beside its field, and goes once that field is changed; what was typed stays;
 * the first field that is wrong takes the focus. A form is done when it is sent: a slow report holds no button.
 */
export function useEntry<Values extends FieldValues, Saved = unknown>(options: EntryOptions<Values, Saved>): Entry<Values> {
  const { values, send, check, becomes, after, touches } = options;
  const queries = useQueryClient();
  const form = useForm<Values>({ defaultValues: values });
  const { place, tell } = usePlaces(form);
  const begun = JSON.stringify(values);
  const followed = useRef(begun);
  const [, lookAgain] = useReducer((times: number) => times + 1, 0);
  const sending = useMutation({
    mutationFn: (given: Values) => send(given, form.formState.defaultValues as Values),
    onSuccess: (saved, sent) => {
      // Nothing is unsaved any more before anything follows: what follows may lead away.
      flushSync(() => form.reset(becomes?.(saved) ?? sent));
      after?.(saved);
      // What was saved may have been taken back before it was read: then what is read is what the form began with.
      void readAnew(queries, touches).then(() => {
        followed.current = "";
        lookAgain();
      });
    },
    onError: (error) => {
      const errors = error?.errors ?? [];
      if (tell(errors) || !errors.length) form.setError("root.server", { type: "server", message: error.detail });
    },
  });
  // What was said of a part of a field holds until something is changed.
  const { reset } = sending;
  const box = useRef<HTMLFormElement>(null);
  useEffect(() => {
    if (followed.current === begun || form.formState.isDirty) return;
    const next = JSON.parse(begun) as Values;
    // What would change in the field that one stands in waits until one leaves it.
    const at = document.activeElement;
    if (box.current?.contains(at) && isLine(at) && at.name in next && next[at.name] !== at.value) {
      at.addEventListener("blur", lookAgain, { once: true });
      return () => at.removeEventListener("blur", lookAgain);
    }
    followed.current = begun;
    // Where nothing changes on the screen, what was said of it holds.
    form.reset(next, { keepErrors: JSON.stringify(form.getValues()) === begun });
  });
  useEffect(() => form.subscribe({ formState: { values: true }, callback: ({ name }) => name && reset() }), [form, reset]);
  const errors = sending.error?.errors ?? [];
  const submit = form.handleSubmit((given) => {
    const wrong = Object.entries(check?.(given) ?? {}).filter((one): one is [Path<Values>, string] => typeof one[1] === "string");
    for (const [name, message] of wrong) form.setError(name, { type: "check", message });
    if (!wrong.length) sending.mutate(given);
  });
  return {
    form,
    box,
    submit: () => {
      form.clearErrors();
      void submit();
    },
    cancel: () => {
      reset();
      form.reset();
    },
    isSending: sending.isPending,
    isSent: sending.isSuccess && !form.formState.isDirty,
    trouble: form.formState.errors.root?.["server"]?.message ?? null,
    errorOf: (...fields) => errors.find((one) => fields.some((path) => begins(one.field, path)))?.text,
    place,
  };
}

/** What a form holds as one types. */
export const useHeld = <Values extends FieldValues>({ form }: Entry<Values>): Values =>
  useWatch({ control: form.control, compute: (values: Values) => values }) as Values;

const isLine = (element: Element | null): element is HTMLInputElement | HTMLTextAreaElement =>
  element instanceof HTMLInputElement || element instanceof HTMLTextAreaElement;
