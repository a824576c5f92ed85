import { clsx } from "clsx";
import { useEffect, type ReactNode } from "react";

import { sendAsked } from "@/api/client";
import type { Asked } from "@/api/queries";
import { DimensionLedger, LEDGERS, type LedgerSpec } from "@/views/read/DimensionLedger";
import { Legend } from "@/views/read/Legend";
import { ViewPending } from "@/ledger/ViewPending";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ViewError } from "@/ui/states";
import { versusWords } from "@/words/format";

interface LedgerViewProps {
  ledgers: (byGoal: boolean) => LedgerSpec[];
  /** What leads the view, before its ledgers. */
  lead: (asked: Asked) => ReactNode;
  /** What stands behind the ledgers. */
  more?: (asked: Asked) => ReactNode;
}

/** A view that proves what it says by ledgers, two beside each other where there is room. */
export function LedgerView({ ledgers, lead, more }: LedgerViewProps) {
  const { ready, trouble, again } = useSite();
  const { goal, period, versus, segment, beside } = useView();
  // When all that stands in it has asked: before the page is laid out, which would come first.
  useEffect(sendAsked);
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (!ready) return <ViewPending />;
  const asked: Asked = { period, versus, goal: goal?.id ?? null, segment, beside };
  return (
    <div className="grid max-w-[1800px] grid-cols-[minmax(0,1fr)] gap-3">
      {lead(asked)}
      <div className={clsx("grid gap-x-7 gap-y-6", LEDGERS[beside.length ? "below" : "beside"])}>
        {ledgers(Boolean(goal)).map((spec, place) => (
          <DimensionLedger key={spec.title} asked={asked} spec={spec} place={place} />
        ))}
        {more?.(asked)}
        <Legend versus={versus === "none" ? null : versusWords(period, versus)} />
      </div>
    </div>
  );
}
