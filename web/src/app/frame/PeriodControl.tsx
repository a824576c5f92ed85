import { clsx } from "clsx";
import { lazy, Suspense, useState } from "react";

import type { Period } from "@/api/client";
import { WORD } from "@/app/frame/surfaces";
import { samePeriod } from "@/state/address";
import { usualPeriods } from "@/state/days";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Popover } from "@/ui/Popover";
import { ITEM } from "@/ui/surfaces";
import { periodWords } from "@/words/format";

/** Two days by hand; forms come when one is wanted. */
const DaysEntry = lazy(async () => ({ default: (await import("@/app/frame/DaysEntry")).DaysEntry }));

/** The period: one of the usual ones, or any two days. */
export function PeriodControl({ className }: { className: string }) {
  const { site } = useSite();
  const { period } = useView();
  const { setPeriod } = useSteering();
  const [open, setOpen] = useState(false);
  const take = (to: Period) => {
    setPeriod(to);
    setOpen(false);
  };
  return (
    <Popover
      open={open}
      onOpenChange={setOpen}
      label="Period"
      trigger={
        <button type="button" className={clsx(WORD, className)} aria-label={`Period: ${periodWords(period)}`}>
          {periodWords(period)}
        </button>
      }
    >
      <ul className="grid grid-cols-2 pb-1.5">
        {usualPeriods(site.today, site.first_day).map(([name, one]) => (
          <li key={name}>
            <button
              type="button"
              className={clsx(ITEM, "hover:bg-sea-1 aria-pressed:font-semibold aria-pressed:text-magenta")}
              aria-pressed={samePeriod(one, period)}
              onClick={() => take(one)}
            >
              {name}
            </button>
          </li>
        ))}
      </ul>
      <Suspense>
        <DaysEntry key={`${period.first} ${period.last}`} period={period} take={take} />
      </Suspense>
    </Popover>
  );
}
