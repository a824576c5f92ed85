import type { Schemas } from "@/api/client";

export type RowCondition = Schemas["RowCondition"];

/** The search as a condition on a dimension: `/…/` is a regular expression. */
export function searched(dimension: string, query: string): RowCondition[] {
  const text = query.trim();
  if (!text) return [];
  const pattern = /^\/(.+)\/$/.exec(text)?.[1];
  return [pattern ? { of: dimension, test: "regular expression", value: pattern } : { of: dimension, test: "contains", value: text }];
}
