import { useCallback, useRef } from "react";
import type { FieldValues, Path, UseFormReturn } from "react-hook-form";

import type { Problem } from "@/api/client";
import { begins } from "@/forms/problems";

/** What is wrong with a field, by the server's name for it. */
export type FieldFault = Pick<Problem["errors"][number], "field" | "text">;

/** Where what a problem document says can stand: beside the fields of a form that are shown. */
export interface Places<Values extends FieldValues> {
  /** Says under which names the server knows a field, for as long as it is shown. */
  place: (name: Path<Values>, of: readonly string[]) => () => void;
  /** Puts what is wrong beside its fields; whether anything is left that has no field. */
  tell: (errors: FieldFault[]) => boolean;
}

/** The one adapter between problem documents and the fields of a form. */
export function usePlaces<Values extends FieldValues>(form: UseFormReturn<Values>): Places<Values> {
  const places = useRef(new Map<Path<Values>, readonly string[]>());
  const place: Places<Values>["place"] = useCallback((name, of) => {
    places.current.set(name, of);
    return () => void places.current.delete(name);
  }, []);
  const tell = useCallback(
    (errors: FieldFault[]) => {
      const nameOf = (field: string): Path<Values> | undefined => {
        const fitting = [...places.current].flatMap(([name, of]) =>
          of.filter((path) => begins(field, path)).map((path) => ({ name, path })),
        );
        return fitting.sort((a, b) => b.path.length - a.path.length)[0]?.name;
      };
      for (const { field, text } of errors) {
        const name = nameOf(field);
        if (name && !form.getFieldState(name).error) form.setError(name, { type: "server", message: text });
      }
      return errors.some(({ field }) => !nameOf(field));
    },
    [form],
  );
  return { place, tell };
}
