import { useQuery } from "@tanstack/react-query";

import { tableQuery, type Asked } from "@/api/queries";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { useInSight } from "@/ui/useInSight";
import { figure, plural } from "@/words/format";
import { HourGrid } from "@/charts/HourGrid";

export const WEEKDAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
export const HOURS = Array.from({ length: 24 }, (_, hour) => String(hour).padStart(2, "0"));

/** At which hours of which weekdays visits begin. */
export function Hours({ asked }: { asked: Asked }) {
  const { site } = useSite();
  const { live } = useView();
  const { narrow } = useSteering();
  const { place, isInSight } = useInSight(false);
  const found = useQuery(
    tableQuery(
      site.key,
      { ...asked, versus: "none", dimensions: ["weekday", "hour"], measures: ["visits"], limit: 7 * 24 },
      { live, isInSight },
    ),
  );
  const counts = new Map(found.data?.rows.map((row) => [row.keys.join(" "), row.values["visits"] ?? 0]));
  const of = (weekday: string, hour: string) => counts.get(`${weekday} ${hour}`) ?? 0;
  const most = Math.max(...counts.values(), 0);
  const [busiest] = found.data?.rows ?? [];
  return (
    <section ref={place} aria-label="Time of day by weekday" className="min-w-0">
      <header className="flex items-baseline gap-2.5">
        <Title className="whitespace-nowrap">Time of day by weekday</Title>
        <span className="truncate text-label text-ink-2">when visits begin, in {site.timezone}</span>
      </header>
      {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
      {found.isPending && <LedgerSkeleton rows={8} />}
      {found.data && (
        <>
          <HourGrid
            title="Visits by weekday and hour"
            rows={WEEKDAYS}
            columns={HOURS}
            value={of}
            most={most}
            words={(weekday, hour) =>
              `${weekday}, ${hour} to ${String(Number(hour) + 1).padStart(2, "0")}: ${plural(of(weekday, hour), "visit")}`
            }
            onTake={(weekday, hour) => {
              narrow("weekday", weekday);
              narrow("hour", hour);
            }}
          />
          {busiest && (
            <p className="mt-1 text-label text-ink-2">
              Most begin on {busiest.keys[0]} from {busiest.keys[1]} o’clock: {figure(busiest.values["visits"], "count")}. The darker, the
              more.
            </p>
          )}
        </>
      )}
    </section>
  );
}
