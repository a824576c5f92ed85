import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import { insightsQuery } from "@/api/queries";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { letterKey, type Letters } from "@/views/read/letters";

const LETTERS = "abcdefg";

/** What is worth a look in what is read, and the letter of each by what it speaks of. */
export function useInsights() {
  const { site } = useSite();
  const { period, goal, segment, live } = useView();
  const found = useQuery(insightsQuery(site.key, { period, goal: goal?.id ?? null, segment, limit: LETTERS.length }, { live }));
  const letters = useMemo(
    (): Letters =>
      new Map(
        (found.data?.insights ?? []).map((one, place) => [letterKey(one.dimension, one.value), LETTERS.charAt(place)] as const).reverse(),
      ),
    [found.data],
  );
  return { found, letters };
}
