import { useState } from "react";

import type { Schemas } from "@/api/client";
import { Chosen } from "@/views/shared/Chosen";
import { NamedValue } from "@/views/shared/NamedValue";
import { useSite } from "@/state/site";
import { ErrorState, Skeleton } from "@/ui/states";
import { plural, within } from "@/words/format";

type Dimension = Schemas["DimensionOut"];

/** So many parts are told. */
export const MAX_PARTS = 6;
const USUAL = ["channel", "entry_page", "device"];

/** By which dimension a number is told in parts: by none that it is narrowed by already. */
export function usePartsBy(taken: readonly string[]) {
  const { registry } = useSite();
  const [wanted, choose] = useState<string | null>(null);
  const dimensions = (registry?.dimensions ?? []).filter((one) => !taken.includes(one.name));
  const usual = USUAL.find((name) => !taken.includes(name)) ?? "channel";
  return { dimensions, dimension: dimensions.find((one) => one.name === (wanted ?? usual)), choose };
}

interface PartsListProps {
  by: { dimensions: readonly Dimension[]; dimension: Dimension; choose: (name: string) => void };
  /** What each part is, as it is shown; null while they are on their way. */
  rows: readonly { value: string; text: string; isFew?: boolean }[] | null;
  /** How many there are in all. */
  count: number;
  isFetching: boolean;
  /** What an empty value is called, where it is not called nothing. */
  none?: string;
  failed: { error: { detail: string }; again: () => void } | null;
}

/** What a number is made of: its largest parts by a dimension that is chosen. */
export function PartsList({ by: { dimensions, dimension, choose }, rows, count, isFetching, none, failed }: PartsListProps) {
  const more = count - (rows?.length ?? 0);
  return (
    <section aria-label="Parts">
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">
        Its parts{" "}
        <span className="font-sans text-body font-normal text-ink-2">
          by{" "}
          <Chosen
            label="By"
            value={dimension.name}
            options={dimensions.map((one) => ({ value: one.name, label: within(one.title) }))}
            onChange={choose}
          />
        </span>
      </h3>
      {failed ? <ErrorState {...failed} /> : !rows && <Skeleton className="h-32" />}
      {rows?.length === 0 && <p className="text-ink-2">There is nothing of it by {within(dimension.title)}.</p>}
      <ul aria-busy={isFetching}>
        {rows?.map(({ value, text, isFew }) => (
          <li key={value} className="flex items-baseline gap-3 border-b border-hairline py-[3px]">
            <span className="min-w-0 flex-1 truncate">
              {value === "" && none ? none : <NamedValue dimension={dimension.name} value={value} />}
            </span>
            <span className="tabular-nums">
              {isFew && <span className="mr-1.5 text-small text-ink-2">few</span>}
              {text}
            </span>
          </li>
        ))}
      </ul>
      {rows && more > 0 && <p className="text-label text-ink-2">And {plural(more, "more", "more")}.</p>}
    </section>
  );
}
