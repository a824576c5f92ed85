import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import { api, type Schemas, type Series } from "@/api/client";
import { seriesByBucket, tableByRow } from "@/api/figures";
import { useFlags } from "@/views/logbook/useFlags";
import { MAX_PARTS, PartsList, usePartsBy } from "@/views/shared/PartsList";
import { stepFor, useTimeSeries } from "@/charts/useTimeSeries";
import { TimeChart } from "@/charts/TimeChart";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { credit } from "@/words/attribution";
import { versusWords } from "@/words/format";

interface CreditMadeOfProps {
  column: Schemas["Column"];
  path: readonly { dimension: string; value: string }[];
  /** What stands in its cell. */
  credit: number;
  /** Whether it is its part, in proportion, of what the row above it has: its course and its parts are that part of its own then. */
  isShared: boolean;
}

/** The course of a credit, by the time of the conversions, and its parts. By the removal effect there are parts alone: it is of a whole period. */
export function CreditMadeOf({ column, path, credit: shown, isShared }: CreditMadeOfProps) {
  const { site } = useSite();
  const { period, versus, segment, goal, live, step } = useView();
  const { id } = column;
  const [dimensions, values] = [path.map((one) => one.dimension), path.map((one) => one.value)];
  const isOfWhole = column.model === "removal effect";
  const shared = { period, segment, goal: goal?.id ?? null, columns: [{ ...column, with_interval: false }], with_excluded: false };
  const asked = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/series",
      {
        params: { path: { site: site.key } },
        body: { ...shared, versus, bucket: stepFor(period, step), dimensions, rows: path.length ? [values] : [] },
      },
      { enabled: !isOfWhole, select: seriesByBucket, refetchInterval: live ? 4_000 : false },
    ),
  );
  const all = asked.data?.points.reduce((sum, point) => sum + (point.values[id] ?? 0), 0);
  const part = isShared && all ? shown / all : 1;
  const series = useMemo((): Series | undefined => {
    const scaled = (values: Series["points"][number]["values"]) =>
      Object.fromEntries(Object.entries(values).map(([name, value]) => [name, value === null ? null : value * part]));
    return (
      asked.data && {
        ...asked.data,
        points: asked.data.points.map((point) => ({
          ...point,
          values: scaled(point.values),
          before: point.before && scaled(point.before),
        })),
      }
    );
  }, [asked.data, part]);
  const course = useTimeSeries(series, id, site.today);
  const flags = useFlags(course?.points);
  const { dimension, ...by } = usePartsBy(dimensions);
  const found = useQuery(
    api.queryOptions(
      "post",
      "/api/v1/sites/{site}/reports/table",
      {
        params: { path: { site: site.key } },
        body: {
          ...shared,
          versus: "none",
          dimensions: [...dimensions, dimension?.name ?? ""],
          parents: values,
          where: [],
          sort: id,
          descending: true,
          offset: 0,
          limit: MAX_PARTS,
        },
      },
      { enabled: dimension !== undefined, select: tableByRow, refetchInterval: live ? 4_000 : false },
    ),
  );
  const rows = found.data?.rows.map((row) => ({
    value: row.keys.at(-1) ?? "",
    text: credit((row.values[id] ?? 0) * part),
    isFew: row.few.includes(id),
  }));
  return (
    <>
      <Title className="mt-[18px] border-t border-hairline pt-2.5">Its course</Title>
      {isOfWhole ? (
        <p className="text-ink-2">There is none: the removal effect is of all ways of the whole period together.</p>
      ) : asked.isError ? (
        <ErrorState error={asked.error} again={() => void asked.refetch()} />
      ) : course ? (
        <TimeChart
          {...course}
          title="Credit"
          unit="number"
          versus={versus === "none" ? null : versusWords(period, versus)}
          flags={flags}
          height={190}
        />
      ) : (
        <LedgerSkeleton rows={4} />
      )}
      {dimension && (
        <PartsList
          by={{ ...by, dimension }}
          rows={rows ?? null}
          count={found.data?.count ?? 0}
          isFetching={found.isFetching}
          none="unattributed"
          failed={found.isError ? { error: found.error, again: () => void found.refetch() } : null}
        />
      )}
    </>
  );
}
