import { useQuery } from "@tanstack/react-query";

import type { Row } from "@/api/client";
import { tableQuery, type Asked } from "@/api/queries";
import { LedgerView } from "@/views/read/LedgerView";
import { sourceLedgers } from "@/views/read/ledgers/sources";
import { NamedValue } from "@/views/shared/NamedValue";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { shareWords, within } from "@/words/format";

/** Where visits come from, and what each source brings of them and of the conversions. */
export function Sources() {
  return <LedgerView ledgers={sourceLedgers} lead={(asked) => <SourcesAnswer asked={asked} />} />;
}

const MAX_CHANNELS = 100;

function SourcesAnswer({ asked }: { asked: Asked }) {
  const { site } = useSite();
  const { goal, live } = useView();
  const measures = goal ? ["visits", "conversions", "conversion_rate"] : ["visits"];
  const table = { ...asked, versus: "none" as const, dimensions: ["channel"], measures, sort: "visits", limit: MAX_CHANNELS };
  const found = useQuery(tableQuery(site.key, table, { live }));
  if (found.isError) return <ViewError error={found.error} again={() => void found.refetch()} />;
  if (!found.data) return <Answer aria-busy="true"> </Answer>;
  const { rows, total } = found.data;
  const share = (row: Row, measure: string) => (row.values[measure] ?? 0) / (total.values[measure] || 1);
  const percent = (row: Row, measure: string) => shareWords(share(row, measure));
  const [largest] = rows;
  if (!largest) return <Answer>No visits in these days.</Answer>;
  const gap = (row: Row) => share(row, "conversions") - share(row, "visits");
  // What a table marks as few is not told as the answer.
  const sure = goal && (total.values["conversions"] ?? 0) > 0 ? rows.filter((row) => !row.few.includes("conversion_rate")) : [];
  const ordered = [...sure].sort((a, b) => gap(b) - gap(a));
  const [best, worst] = [ordered[0], ordered.at(-1)];
  const brings = (row: Row) => (
    <>
      <NamedValue dimension="channel" value={row.keys[0] ?? ""} /> brings {percent(row, "visits")} of the visits and{" "}
      {percent(row, "conversions")}
    </>
  );
  if (!goal || !best || !worst || best === worst)
    return (
      <Answer>
        <NamedValue dimension="channel" value={largest.keys[0] ?? ""} /> brings most visits, {percent(largest, "visits")} of them.
      </Answer>
    );
  return (
    <Answer>
      {brings(best)} of the {within(goal.name)}; {brings(worst)}.
    </Answer>
  );
}
