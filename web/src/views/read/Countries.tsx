import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";

import { tableQuery, type Asked } from "@/api/queries";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Skeleton } from "@/ui/states";
import { Title } from "@/ui/text";
import { useInSight } from "@/ui/useInSight";
import { figure, plural, shareWords, valueWords } from "@/words/format";

const fetchMap = () => import("@/charts/WorldMap");
const WorldMap = lazy(async () => ({ default: (await fetchMap()).WorldMap }));

const MANY = 300;

/** The countries of the visits on a small map. */
export function Countries({ asked }: { asked: Asked }) {
  const { site } = useSite();
  const { live } = useView();
  const { narrow } = useSteering();
  const { place, isInSight } = useInSight(false);
  const found = useQuery(
    tableQuery(
      site.key,
      { ...asked, beside: [], versus: "none", dimensions: ["country"], measures: ["visits"], sort: "visits", limit: MANY },
      { live, isInSight },
    ),
  );
  // It comes while the figures are read, not behind them.
  useEffect(() => void fetchMap(), []);
  const all = found.data?.total.values["visits"] ?? 0;
  const visits = new Map((found.data?.rows ?? []).map(({ keys, values }) => [keys[0] ?? "", values["visits"] ?? 0]));
  if (found.data && !all) return null;
  const known = [...visits].filter(([country]) => country !== "");
  const [most] = known;
  const title = most
    ? `Visits by country: ${plural(known.length, "country", "countries")}, most from ${valueWords("country", most[0])}, ${shareWords(most[1] / all)}`
    : "Visits by country: no country is known";
  return (
    <section ref={place} aria-label="Countries on a map" className="min-w-0">
      <Title>Where they are</Title>
      <Suspense fallback={<Skeleton className="h-64" />}>
        {found.data ? (
          <WorldMap
            title={title}
            shares={new Map(known.map(([country, count]) => [country, count / all]))}
            said={(country) =>
              `${valueWords("country", country)}: ${figure(visits.get(country), "count")}, ${shareWords((visits.get(country) ?? 0) / all)}`
            }
            onTake={(country) => narrow("country", country)}
          />
        ) : (
          <Skeleton className="h-64" />
        )}
      </Suspense>
    </section>
  );
}
