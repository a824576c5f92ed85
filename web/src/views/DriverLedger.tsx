import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { tableQuery, type Asked } from "@/app/queries";
import { Ledger, LedgerToCome, type Column } from "@/pieces/Ledger";
import { useOpenUp } from "@/pieces/OpenedUp";
import { ErrorState } from "@/pieces/ErrorState";
import type { View } from "@/state/view";
import { Button } from "@/ui/Button";
import { lastWord, valueWords } from "@/words/format";

const FEW_ROWS = 9;
const MORE_ROWS = 200;

interface DriverLedgerProps {
  view: View;
  asked: Asked;
  dimension: string;
  title: string;
  aside: string;
}

/** What drives the goal, by one dimension: visits, conversions, rate with its interval, value. */
export function DriverLedger({ view, asked, dimension, title, aside }: DriverLedgerProps) {
  const { site, goal, registry, live, narrow } = view;
  const openUp = useOpenUp();
  const [sort, setSort] = useState("conversions");
  const [limit, setLimit] = useState(FEW_ROWS);
  const by = goal ? sort : "visits";
  const measure = (name: string) => registry?.measures.find((one) => one.name === name);
  const wanted: [string, Partial<Column>][] = goal
    ? [
        ["visits", { head: "Visits" }],
        ["conversions", { head: lastWord(goal.name), lead: true, before: true }],
        ["conversion_rate", { head: "Rate", marks: true }],
        ["value", { head: "Value" }],
      ]
    : [
        ["visits", { head: "Visits", lead: true, before: true }],
        ["bounce_rate", { head: "Bounces", marks: true }],
        ["views", { head: "Views" }],
      ];
  const columns = wanted.flatMap(([name, more]) => {
    const found = measure(name);
    return found ? [{ measure: found, head: found.title, ...more }] : [];
  });
  const names = columns.map((column) => column.measure.name);
  const table = useQuery(
    tableQuery(site.key, { ...asked, dimensions: [dimension], measures: names, sort: by, descending: true, limit }, { live }),
  );
  const what = registry?.dimensions.find((one) => one.name === dimension);
  return (
    <section className="driver" aria-label={title}>
      <header>
        <h2 className="title">{title}</h2>
        <span className="aside">{aside}</span>
        {limit > FEW_ROWS && (
          <Button kind="link" className="ml-auto text-label" onClick={() => setLimit(FEW_ROWS)}>
            Fewer
          </Button>
        )}
      </header>
      {table.isError && <ErrorState error={table.error} again={() => void table.refetch()} />}
      {table.isPending && <LedgerToCome />}
      {table.data && (
        <Ledger
          name={title}
          first={what?.title ?? title}
          table={table.data}
          columns={columns}
          currency={site.currency}
          words={(key) => valueWords(dimension, key)}
          sort={by}
          onSort={setSort}
          onValue={(key, without) => narrow(dimension, key, without)}
          onOpen={(name, key) =>
            openUp({
              measure: name,
              title: name === "conversions" && goal ? goal.name : (measure(name)?.title ?? name),
              ...(key === null ? {} : { dimension, value: key }),
            })
          }
          rest={table.data.rest ? { what: `${table.data.rest.rows} more`, onMore: () => setLimit(MORE_ROWS) } : undefined}
          empty={
            asked.filters.length ? (
              <p>No visit in these days fits the segment. Take a chip off, or choose other days.</p>
            ) : (
              <p>No visits in these days. Choose others above, or put the code on the site, and they appear here by themselves.</p>
            )
          }
        />
      )}
    </section>
  );
}
