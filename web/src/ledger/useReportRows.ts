import { useInfiniteQuery, useQueries, type UseQueryResult } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";

import type { Table } from "@/api/client";
import { tablePagesQuery, tableQuery, tableRequest, type Asked, type TableAsked } from "@/api/queries";
import type { Sort } from "@/ledger/columns";
import type { ReportRow } from "@/ledger/reportColumns";
import type { OpenRows } from "@/ledger/shown";
import { plural } from "@/words/format";

const CHILDREN = 20;
const MOST_CHILDREN = 2_000;
const NOTHING_BELOW: ReadonlyMap<string, UseQueryResult<Table> | undefined> = new Map();
const idOf = (path: readonly string[]): string => JSON.stringify(path);

interface ReportRows {
  asked: Asked;
  site: string;
  live: boolean;
  isInSight: () => boolean;
  /** By what rows are broken down, then what they are opened into. */
  dimensions: string[];
  measures: string[];
  sort: Sort;
  where: TableAsked["where"];
  /** How many rows come at a time. */
  limit: number;
  /** Whether more come as one goes down. */
  isWhole: boolean;
  /** The rows that are opened, and to how many rows. */
  open: OpenRows;
  setOpen: (change: (was: OpenRows) => OpenRows) => void;
}

/** The rows of a report as they stand in its ledger: those of the first dimension, and under each that is opened those of the next. */
export function useReportRows({
  asked,
  site,
  live,
  isInSight,
  dimensions,
  measures,
  sort,
  where,
  limit,
  isWhole,
  open,
  setOpen,
}: ReportRows) {
  const [outer = ""] = dimensions;
  const question = { ...asked, measures, sort: sort.by, descending: sort.descending };
  const whole = { ...question, dimensions: [outer], where, limit };
  const pages = useInfiniteQuery(tablePagesQuery(site, whole, { live, isInSight }));
  const opened = new Set(open.map(([path]) => idOf(path)));
  // A row is opened under its parents only, and as deep as there are dimensions.
  const reachable = open
    .filter(([path]) => path.length < dimensions.length && path.slice(0, -1).every((_, i) => opened.has(idOf(path.slice(0, i + 1)))))
    .map(([path, most]) => ({ path, most: Math.min(most, MOST_CHILDREN) }));
  const children = useQueries({
    queries: reachable.map(({ path, most }) =>
      tableQuery(
        site,
        {
          ...question,
          sort: sortOf(sort, outer, dimensions[path.length] ?? outer),
          dimensions: dimensions.slice(0, path.length + 1),
          parents: path,
          limit: most,
        },
        { live, isInSight },
      ),
    ),
  });
  const below = useMemo(
    () => (reachable.length ? new Map(reachable.map(({ path }, i) => [idOf(path), children[i]])) : NOTHING_BELOW),
    // The answers are what changes; the paths come with them.
    [reachable, children],
  );
  const setMost = useCallback(
    (path: string[], most: number | null) =>
      setOpen((was) => {
        const others = was.filter(([one]) => idOf(one) !== idOf(path));
        return most === null ? others : [...others, [path, most]];
      }),
    [setOpen],
  );
  const table: Table | undefined = pages.data?.pages[0];
  const total = useMemo(() => table && { id: "all", path: [], figures: table.total }, [table]);
  const rows = useMemo(() => {
    const found: ReportRow[] = [];
    const add = (path: string[], figures: ReportRow["figures"]) => {
      found.push({ id: idOf(path), path, figures });
      const answer = below.get(idOf(path));
      if (!answer) return;
      const inside = (text: string, act?: () => void) =>
        found.push({ id: `${idOf(path)} …`, path: [...path, ""], figures: null, instead: { text, act } });
      if (answer.isError) inside("This could not be read. Try again", () => void answer.refetch());
      else if (!answer.data) inside("Loading …");
      else {
        for (const row of answer.data.rows) add(row.keys, row);
        const more = answer.data.count - answer.data.rows.length;
        if (more > 0) inside(`${plural(more, "more row")}`, () => setMost(path, MOST_CHILDREN));
      }
    };
    for (const page of pages.data?.pages ?? []) for (const row of page.rows) add(row.keys, row);
    return found;
  }, [pages.data, below, setMost]);
  const isOpen = (row: ReportRow): boolean => opened.has(row.id);
  const toggle = (row: ReportRow): void => setMost(row.path, isOpen(row) ? null : CHILDREN);
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  const onEnd = useCallback(() => {
    if (isWhole && hasNextPage && !isFetchingNextPage) void fetchNextPage();
  }, [isWhole, hasNextPage, isFetchingNextPage, fetchNextPage]);
  return { pages, table, rows, total, request: tableRequest(whole), isOpen, toggle, onEnd };
}

/** What is opened is ordered by the same column; by its own value where the outer rows are by theirs. */
const sortOf = (sort: Sort, outer: string, inner: string): string => (sort.by === outer ? inner : sort.by);
