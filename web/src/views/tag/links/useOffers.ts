import { useQuery } from "@tanstack/react-query";

import { tableQuery, vocabularyQuery } from "@/api/queries";
import { completeDays } from "@/state/days";
import { useSite } from "@/state/site";
import type { Suggestion } from "@/ui/Combobox";
import { plural } from "@/words/format";

const NO_WORDS = ["", "direct", "none", "(unset)"];

/** The owner's words first, then what visits came with in the last year. */
export function useOffers(field: "source" | "medium" | "campaign" | "content"): Suggestion[] {
  const { site } = useSite();
  const words = useQuery(vocabularyQuery(site.key));
  const asked = { period: completeDays(site.today, 365), versus: "none" as const, goal: null, segment: null };
  const seen = useQuery(tableQuery(site.key, { ...asked, dimensions: [field], measures: ["visits"], limit: 60 }, { live: false }));
  const own = words.data?.filter((word) => word.field === field).map((word) => word.value) ?? [];
  const visits = new Map(seen.data?.rows.map((row) => [row.keys[0] ?? "", row.values["visits"] ?? 0]));
  return [...new Set([...own, ...visits.keys()])]
    .filter((one) => !NO_WORDS.includes(one))
    .map((value) => {
      const count = visits.get(value);
      return count ? { value, count: plural(count, "visit") } : { value };
    });
}
