import type { Asked } from "@/api/queries";
import { ReportLedger } from "@/ledger/ReportLedger";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { lastWord } from "@/words/format";

const FEW_ROWS = 9;
const BY_GOAL = ["visits", "conversions", "conversions before", "conversion_rate", "conversion_rate marks", "value"];
const BY_VISITS = ["visits", "visits before", "bounce_rate", "bounce_rate marks", "views"];

interface DriverLedgerProps {
  asked: Asked;
  /** By what, then what its rows are opened into. */
  dimensions: string[];
  title: string;
  what: string;
  aside: string;
}

/** What drives the goal, by one dimension: visits, conversions, rate with its interval, value. */
export function DriverLedger({ asked, dimensions, title, what, aside }: DriverLedgerProps) {
  const { site, registry } = useSite();
  const { goal, live } = useView();
  const { narrow } = useSteering();
  const openUp = useOpenUp();
  if (!registry) return null;
  return (
    <ReportLedger
      key={goal ? "goal" : "visits"}
      keptAs={`${title} ${goal ? "by goal" : "by visits"}`}
      title={title}
      what={what}
      aside={aside}
      asked={asked}
      site={site}
      live={live}
      registry={registry}
      dimensions={dimensions}
      usual={goal ? BY_GOAL : BY_VISITS}
      lead={goal ? "conversions" : "visits"}
      heads={goal ? { conversions: lastWord(goal.name), conversion_rate: "Rate" } : { bounce_rate: "Bounces" }}
      few={FEW_ROWS}
      empty={
        asked.filters.length ? (
          <p>No visit in these days fits the segment. Remove a filter, or choose other days.</p>
        ) : (
          <p>No visits in these days. Choose others above, or put the code on the site, and they appear here.</p>
        )
      }
      onNarrow={narrow}
      onOpen={(measure, of) =>
        openUp({
          measure,
          title: measure === "conversions" && goal ? goal.name : (registry.measures.find((one) => one.name === measure)?.title ?? measure),
          of,
        })
      }
    />
  );
}
