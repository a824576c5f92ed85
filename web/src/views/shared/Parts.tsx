import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Measure } from "@/api/client";
import { tableQuery, type Asked } from "@/api/queries";
import { Skeleton } from "@/ui/states";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Chosen } from "@/views/shared/Chosen";
import { NamedValue } from "@/views/shared/NamedValue";
import { figure, plural, within as inWords } from "@/words/format";

const SHOWN = 6;
const FIRST = ["channel", "entry_page", "device"];

interface PartsProps {
  asked: Asked;
  measure: Measure;
  /** Of which row it is the number. */
  of: readonly { dimension: string; value: string }[];
}

/** What a number is made of: its largest parts by a dimension that is chosen. */
export function Parts({ asked, measure, of }: PartsProps) {
  const { site, registry } = useSite();
  const { live } = useView();
  const taken = of.map((one) => one.dimension);
  const dimensions = (registry?.dimensions ?? []).filter((one) => !taken.includes(one.name));
  const [wanted, setWanted] = useState<string | null>(null);
  const usual = FIRST.find((one) => !taken.includes(one)) ?? "channel";
  const dimension = dimensions.find((one) => one.name === (wanted ?? usual));
  const sort = ["count", "money"].includes(measure.unit) ? measure.name : "visits";
  const measures = [...new Set([measure.name, sort])];
  const found = useQuery({
    ...tableQuery(
      site.key,
      {
        ...asked,
        versus: "none",
        dimensions: [...of.map((one) => one.dimension), dimension?.name ?? usual],
        parents: of.map((one) => one.value),
        measures,
        sort,
        descending: true,
        limit: SHOWN,
      },
      { live },
    ),
    enabled: dimension !== undefined,
  });
  if (!dimension) return null;
  const rows = found.data?.dimensions.at(-1) === dimension.name ? found.data.rows : null;
  const more = (found.data?.count ?? 0) - (rows?.length ?? 0);
  return (
    <section aria-label="Parts">
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">
        Its parts{" "}
        <span className="font-sans text-body font-normal text-ink-2">
          by{" "}
          <Chosen
            label="By"
            value={dimension.name}
            options={dimensions.map((one) => ({ value: one.name, label: inWords(one.title) }))}
            onChange={setWanted}
          />
        </span>
      </h3>
      {!rows && <Skeleton className="h-32" />}
      {rows?.length === 0 && <p className="text-ink-2">There is nothing of it by {inWords(dimension.title)}.</p>}
      <ul aria-busy={found.isFetching}>
        {rows?.map(({ keys, values, few }) => (
          <li key={keys.at(-1)} className="flex items-baseline gap-3 border-b border-hairline py-[3px]">
            <span className="min-w-0 flex-1 truncate">
              <NamedValue dimension={dimension.name} value={keys.at(-1) ?? ""} />
            </span>
            <span className="tabular-nums">
              {few.includes(measure.name) && <span className="mr-1.5 text-small text-ink-2">few</span>}
              {figure(values[measure.name], measure.unit)}
            </span>
          </li>
        ))}
      </ul>
      {rows && more > 0 && <p className="text-label text-ink-2">And {plural(more, "more", "more")}.</p>}
    </section>
  );
}
