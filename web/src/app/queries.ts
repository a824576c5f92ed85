import { infiniteQueryOptions, keepPreviousData, QueryClient, queryOptions } from "@tanstack/react-query";

import { ApiError, ask, client, rememberCsrf, type DimensionFilter, type Period, type Schemas, type Versus } from "@/api/client";
import { columnsOf, segmentOf, seriesByBucket, tableByRow } from "@/api/figures";

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 20_000,
      retry: (count, error) => error instanceof ApiError && (error.problem.status === 0 || error.problem.status >= 500) && count < 3,
      refetchOnWindowFocus: true,
    },
  },
});

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: async () => {
    try {
      const session = await ask(client.GET("/api/v1/session"));
      rememberCsrf(session.csrf);
      return session;
    } catch (error) {
      if (error instanceof ApiError && error.problem.status === 401) return null;
      throw error;
    }
  },
  staleTime: Infinity,
});

export const sitesQuery = queryOptions({ queryKey: ["sites"], queryFn: () => ask(client.GET("/api/v1/sites")), staleTime: 60_000 });

const at = (site: string) => ({ params: { path: { site } } });

export const goalsQuery = (site: string) =>
  queryOptions({ queryKey: ["goals", site], queryFn: () => ask(client.GET("/api/v1/sites/{site}/goals", at(site))), staleTime: 60_000 });

export const registryQuery = (site: string) =>
  queryOptions({
    queryKey: ["registry", site],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/registry", at(site))),
    staleTime: Infinity,
  });

/** What every report is asked with. */
export interface Asked {
  period: Period;
  versus: Versus;
  goal: number | null;
  filters: DimensionFilter[];
}

/** A period that holds today moves; it is asked for again every few seconds. */
export interface Live {
  live: boolean;
}
const every = (live: boolean) => (live ? 4_000 : false);

/** A question of a report as the request that it makes. */
const requestOf = <Rest extends object>({ filters, measures, ...rest }: Asked & { measures: readonly string[] } & Rest) => ({
  with_excluded: false,
  ...rest,
  segment: segmentOf(filters),
  columns: columnsOf(measures),
});

export interface TableAsked extends Asked {
  measures: readonly string[];
  dimensions: string[];
  sort?: string;
  descending?: boolean;
  limit?: number;
}

export const tableQuery = (site: string, asked: TableAsked, { live }: Live) =>
  queryOptions({
    queryKey: ["table", site, asked],
    queryFn: async () => {
      const body = { parents: [], where: [], descending: true, offset: 0, limit: 100, ...requestOf(asked) };
      return tableByRow(await ask(client.POST("/api/v1/sites/{site}/reports/table", { ...at(site), body })));
    },
    placeholderData: keepPreviousData,
    refetchInterval: every(live),
  });

export interface SeriesAsked extends Asked {
  measures: readonly string[];
  bucket: Schemas["SeriesRequest"]["bucket"];
}

export const seriesQuery = (site: string, asked: SeriesAsked, { live }: Live) =>
  queryOptions({
    queryKey: ["series", site, asked],
    queryFn: async () => {
      const body = { dimensions: [], rows: [], ...requestOf(asked) };
      return seriesByBucket(await ask(client.POST("/api/v1/sites/{site}/reports/series", { ...at(site), body })));
    },
    placeholderData: keepPreviousData,
    refetchInterval: every(live),
  });

export const visitsQuery = (site: string, body: Schemas["VisitsRequest"], { live }: Live) =>
  infiniteQueryOptions({
    queryKey: ["visits", site, body],
    queryFn: ({ pageParam }) => ask(client.POST("/api/v1/sites/{site}/visits", { ...at(site), body: { ...body, after: pageParam } })),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
    refetchInterval: every(live),
  });

/** The newest hits, of one visitor where one is named; asked again every few seconds. */
export const nowQuery = (site: string, visitor: string | null) =>
  queryOptions({
    queryKey: ["now", site, visitor],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/now", { params: { path: { site }, query: { visitor, limit: 20 } } })),
    refetchInterval: 2_000,
  });

/** Who opened the link with this token; asked until somebody has. */
export const followedQuery = (site: string, token: string) =>
  queryOptions({
    queryKey: ["followed", site, token],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/followed/{token}", { params: { path: { site, token } } })),
    refetchInterval: (query) => (query.state.data?.visitor ? false : 1_000),
  });

/** Every event that ever arrived, with its figures in the period. */
export const eventsQuery = (site: string, body: Schemas["EventsRequest"], { live }: Live) =>
  queryOptions({
    queryKey: ["events", site, body],
    queryFn: () => ask(client.POST("/api/v1/sites/{site}/events", { ...at(site), body })),
    placeholderData: keepPreviousData,
    refetchInterval: every(live),
  });

export const countedQuery = (site: string) =>
  queryOptions({ queryKey: ["counted", site], queryFn: () => ask(client.GET("/api/v1/sites/{site}/goals/counted", at(site))) });

/** What a goal that is being written would have counted. */
export const previewQuery = (site: string, goal: Schemas["PreviewRequest"]["goal"]) =>
  queryOptions({
    queryKey: ["preview", site, goal],
    queryFn: () => ask(client.POST("/api/v1/sites/{site}/goals/preview", { ...at(site), body: { goal } })),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What other aliases and channels would move in the last 90 days. */
export const sortingPreviewQuery = (site: string, body: Schemas["Sorting"]) =>
  queryOptions({
    queryKey: ["sorting", site, body],
    queryFn: () => ask(client.POST("/api/v1/sites/{site}/sorting/preview", { ...at(site), body })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const sortingHistoryQuery = (site: string) =>
  queryOptions({
    queryKey: ["sorting history", site],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/sorting/history", at(site))),
  });

/** The draft of the rules and all versions. */
export const rulesQuery = (site: string) =>
  queryOptions({ queryKey: ["rules", site], queryFn: () => ask(client.GET("/api/v1/sites/{site}/rules", at(site))) });

/** What is another in one version of the rules than in another; 0 is the draft. */
export const comparedRulesQuery = (site: string, before: number, after: number) =>
  queryOptions({
    queryKey: ["rules", site, before, after],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/rules/changes", { params: { path: { site }, query: { before, after } } })),
  });

/** Links as they are typed, finished, with remarks. */
export const buildQuery = (site: string, drafts: Schemas["LinkDraft"][]) =>
  queryOptions({
    queryKey: ["build", site, drafts],
    queryFn: () => ask(client.POST("/api/v1/sites/{site}/links/build", { ...at(site), body: drafts })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const linksQuery = (site: string, goal: number | null) =>
  queryOptions({
    queryKey: ["links", site, goal],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/links", { params: { path: { site }, query: { goal } } })),
  });

export const unregisteredLinksQuery = (site: string) =>
  queryOptions({
    queryKey: ["unregistered links", site],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/links/unregistered", at(site))),
  });

export const vocabularyQuery = (site: string) =>
  queryOptions({ queryKey: ["vocabulary", site], queryFn: () => ask(client.GET("/api/v1/sites/{site}/vocabulary", at(site))) });

/** A QR code that was read again before it came. */
export const codeQuery = (site: string, body: Schemas["CodeRequest"]) =>
  queryOptions({
    queryKey: ["code", site, body],
    queryFn: () => ask(client.POST("/api/v1/sites/{site}/links/code", { ...at(site), body })),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
  });

export const findingsQuery = (site: string) =>
  queryOptions({ queryKey: ["findings", site], queryFn: () => ask(client.GET("/api/v1/sites/{site}/findings", at(site))) });

/** Where a page of the site is. */
export const lastPageQuery = (site: string) =>
  queryOptions({
    queryKey: ["last page", site],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/last-page", at(site))),
    staleTime: 60_000,
  });

/** What was turned away since a moment. */
export const refusedQuery = (site: string, since: string) =>
  queryOptions({
    queryKey: ["refused", site, since],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/refused", { params: { path: { site }, query: { since } } })),
    refetchInterval: 2_000,
  });

export const visitDetailQuery = (site: string, visitor: string, number: number, goal: number | null) =>
  queryOptions({
    queryKey: ["visit", site, visitor, number, goal],
    queryFn: () => ask(client.GET("/api/v1/sites/{site}/visits/detail", { params: { path: { site }, query: { visitor, number, goal } } })),
  });

export const answerQuery = (site: string, body: Schemas["AnswerRequest"], { live }: Live) =>
  queryOptions({
    queryKey: ["answer", site, body],
    queryFn: () => ask(client.POST("/api/v1/sites/{site}/reports/answer", { ...at(site), body })),
    placeholderData: keepPreviousData,
    refetchInterval: every(live),
  });
