import type { Problem } from "@/api/client";

/** Whether what the server calls `field` belongs to `path`: to all of it with an empty one. */
export const begins = (field: string, path: string): boolean => path === "" || field === path || field.startsWith(`${path}.`);

/** What is wrong beside a field of a form, and what is wrong with no field in sight. */
export interface Faults {
  of: (...fields: string[]) => string | undefined;
  /** What could stand in a field instead. */
  use: (field: string) => string | undefined;
  /** The sentence for the form as a whole; nothing when all that is wrong stands beside its field. */
  all: string | null;
}

/** What an answer says of fields that are asked with as they are typed. `shown`: the fields, or their beginnings, beside which there is a place. */
export function faultsOf(error: Problem | null, shown: string[]): Faults {
  const errors = error?.errors ?? [];
  const elsewhere = errors.filter((one) => !shown.some((path) => begins(one.field, path)));
  return {
    of: (...fields) => errors.find((one) => fields.some((path) => begins(one.field, path)))?.text,
    use: (field) => errors.find((one) => one.field === field)?.use ?? undefined,
    all: error && (errors.length === 0 || elsewhere.length > 0) ? error.detail : null,
  };
}
