import type { Schemas } from "@/api/client";

export type Sizes = Schemas["ComparedSizes"];

/** What the parts of the view are told: the groups in words, and how a dimension is called. */
export interface Naming {
  words: [string, string];
  /** What the others are called behind their count. */
  others: string;
  dimension: (name: string) => { name: string; title: string; family?: string };
}
