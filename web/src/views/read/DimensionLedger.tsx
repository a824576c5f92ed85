import type { Asked } from "@/api/queries";
import type { Heads, Sort } from "@/ledger/columns";
import { ReportLedger } from "@/ledger/ReportLedger";
import { RowLeads } from "@/views/shared/RowLeads";
import { letterKey, useLetters } from "@/views/read/letters";
import { Letter } from "@/views/read/Letter";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { lastWord } from "@/words/format";
import { partWords } from "@/words/segments";

/** A ledger of a view: by what, with which columns, and what leads. */
export interface LedgerSpec {
  title: string;
  /** What its rows are, in the plural. */
  what: string;
  aside: string;
  /** By what, then what its rows are opened into. */
  dimensions: string[];
  usual: string[];
  lead: string;
  heads?: Heads;
  sort?: Sort;
  /** Whether its rows are of a part of what all visits did; without one there are no figures of all beneath them. */
  isPart?: boolean;
  /** How many rows stand there before all are wanted. */
  few?: number;
  /** What is said where it has no row. */
  empty?: string;
}

/** The ledgers of a view; whether there is a goal to steer by decides which columns they begin with. */
export type LedgerSpecs = (byGoal: boolean) => LedgerSpec[];

const FEW_ROWS = 9;
/** How ledgers stand: two beside each other where there is room, or each with the width of all for segments side by side. */
export const LEDGERS = {
  beside: "grid-cols-2 max-[1100px]:grid-cols-[minmax(0,1fr)] max-[1100px]:gap-y-6",
  below: "grid-cols-[minmax(0,1fr)] gap-y-6",
} as const;

/** So many ledgers of a view are in sight when it is opened. */
const IN_SIGHT_AT_FIRST = 4;

/** A report by one dimension, the one at this place of its view, opened into others, read under the strip. */
export function DimensionLedger({ asked, spec, place = 0 }: { asked: Asked; spec: LedgerSpec; place?: number }) {
  const { site, registry, segments } = useSite();
  const { goal, live } = useView();
  const { narrow } = useSteering();
  const openUp = useOpenUp();
  const letters = useLetters();
  if (!registry) return null;
  const { title, what, aside, dimensions, usual, lead, heads = {}, sort, isPart = false, few = FEW_ROWS } = spec;
  const empty =
    spec.empty ??
    (asked.segment
      ? "No visit in these days fits the segment. Remove a filter, or choose other days."
      : "No visits in these days. Choose others above, or put the code on the site, and they appear here.");
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
      usual={usual}
      lead={lead}
      {...(sort ? { sort } : {})}
      isPart={isPart}
      heads={{ ...(goal ? { conversions: lastWord(goal.name), conversion_rate: "Rate" } : { bounce_rate: "Bounces" }), ...heads }}
      few={few}
      isInSightAtFirst={place < IN_SIGHT_AT_FIRST}
      empty={<p>{empty}</p>}
      onNarrow={narrow}
      sign={(dimension, value) => {
        const letter = letters.get(letterKey(dimension, value));
        return letter && <Letter letter={letter} />;
      }}
      leads={(places) => <RowLeads title={title} places={places} />}
      sideWords={asked.beside?.map((part) => partWords(part, { registry, segments })) ?? []}
      onOpen={(measure, of, within) =>
        openUp({
          measure,
          ...(within ? { part: within } : {}),
          title: measure === "conversions" && goal ? goal.name : (registry.measures.find((one) => one.name === measure)?.title ?? measure),
          of,
        })
      }
    />
  );
}
