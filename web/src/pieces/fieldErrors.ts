import { ApiError } from "@/api/client";

/** What is wrong beside a field of a form, and what is wrong with no field in sight. */
export interface Faults {
  of: (...fields: string[]) => string | undefined;
  /** The sentence for the form as a whole; nothing when all that is wrong stands beside its field. */
  all: string | null;
}

/** What an answer says of a form. `shown`: the fields, or their beginnings, beside which the form has a place. */
export function fieldErrors(error: Error | null, shown: string[]): Faults {
  const errors = error instanceof ApiError ? (error.problem.errors ?? []) : [];
  const begins = (field: string, path: string) => field === path || field.startsWith(`${path}.`);
  const elsewhere = errors.filter((one) => !shown.some((path) => begins(one.field, path)));
  return {
    of: (...fields) => errors.find((one) => fields.some((path) => begins(one.field, path)))?.text,
    all: error && (errors.length === 0 || elsewhere.length > 0) ? error.message : null,
  };
}
