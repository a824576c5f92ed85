import { useQuery } from "@tanstack/react-query";

import { tableQuery, type Asked } from "@/api/queries";
import { LedgerView } from "@/views/read/LedgerView";
import { pageLedgers } from "@/views/read/ledgers/pages";
import { NamedValue, NamedValues } from "@/views/shared/NamedValue";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { plural, shareWords } from "@/words/format";

const MAX_NAMED = 3;
/** A page is gone on to by many from this share of all visits on, and entered by few below this share of those that see it. */
const MANY = 0.05;
const FEW = 0.1;

/** Which pages are seen, begun with, gone on to and left from. */
export function Pages() {
  return <LedgerView ledgers={pageLedgers} lead={(asked) => <PagesAnswer asked={asked} />} />;
}

function PagesAnswer({ asked }: { asked: Asked }) {
  const { site } = useSite();
  const { live } = useView();
  const table = {
    ...asked,
    versus: "none" as const,
    dimensions: ["page"],
    measures: ["visits", "reached_later", "entry_rate"],
    descending: true,
  };
  const seen = useQuery(tableQuery(site.key, { ...table, sort: "visits", limit: MAX_NAMED }, { live }));
  const where = [{ of: "entry_rate", test: "<" as const, value: FEW }];
  const wanted = useQuery(tableQuery(site.key, { ...table, sort: "reached_later", limit: 1, where }, { live }));
  if (seen.isError) return <ViewError error={seen.error} again={() => void seen.refetch()} />;
  if (!seen.data || !wanted.data) return <Answer aria-busy="true"> </Answer>;
  const all = seen.data.total.values["visits"] ?? 0;
  const pages = seen.data.rows.map((row) => row.keys[0] ?? "");
  const [hidden] = wanted.data.rows;
  const later = hidden?.values["reached_later"] ?? 0;
  const begin = hidden?.values["entry_rate"] ?? 0;
  if (!pages.length) return <Answer>No page was seen in these days.</Answer>;
  return (
    <Answer>
      {pages.length === 1 ? "The page that was seen is " : "The pages that most visits see are "}
      <NamedValues dimension="page" values={pages} />.
      {hidden && later >= MANY * all && (
        <>
          {" "}
          {plural(later, "visit")} went on to <NamedValue dimension="page" value={hidden.keys[0] ?? ""} />, but{" "}
          {begin ? `only ${shareWords(begin)} of those that see it begin there` : "none began there"}.
        </>
      )}
    </Answer>
  );
}
