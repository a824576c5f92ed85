import type { Schemas } from "@/api/client";
import { longDay, periodWords } from "@/words/format";

type Entry = Pick<Schemas["LogbookOut"], "kind" | "first" | "last" | "text">;

export const KINDS = ["note", "change", "finding"] as const;
export const KIND_WORDS: Record<Entry["kind"], string> = { note: "note", change: "change to the site", finding: "finding" };

export const daysWords = ({ first, last }: Pick<Entry, "first" | "last">): string =>
  first === last ? longDay(first) : periodWords({ first, last });

/** What the logbook keeps of an address at the most. */
const MAX_VIEW = 4_000;

/** The address of the view in hand as an entry keeps it: within the site, and nothing of another place. */
export function viewOf(href: string, site: string): string {
  const prefix = `/s/${site}`;
  const view = href.startsWith(prefix) ? href.slice(prefix.length).split("#")[0] : "";
  return view && view.length <= MAX_VIEW && /^\/(tag|watch|read|explain)\/[a-z-]+(\?[^\s<>"'\\]*)?$/.test(view) ? view : "";
}

/** Entries as flags of a chart over time up to a last day: each at the step in which its first day lies, or at the first step where it began before. */
export function flagsOf(entries: readonly Entry[], steps: readonly string[], until: string): { at: string; text: string }[] {
  const [begin] = steps;
  if (!begin) return [];
  return entries.flatMap(({ first, last, text }) => {
    if (last < begin.slice(0, 10) || first > until) return [];
    const at = [...steps].reverse().find((step) => step.slice(0, 10) <= first) ?? begin;
    return [{ at, text }];
  });
}
