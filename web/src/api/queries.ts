import { infiniteQueryOptions, keepPreviousData, notifyManager, QueryClient, queryOptions } from "@tanstack/react-query";

import { afterwards, api, ApiError, ask, client, rememberCsrf, type Period, type Schemas, type Versus } from "@/api/client";
import { columnsOf, comparedByRow, segmentOf, seriesByBucket, tableByRow, type Segment, type SegmentPart } from "@/api/figures";

/** Answers that come in one turn are told in one, and so drawn once. */
const untold: (() => void)[] = [];
notifyManager.setScheduler((tell) => {
  if (untold.push(tell) > 1) return;
  setTimeout(() => {
    for (const one of untold.splice(0)) {
      try {
        one();
      } catch (why) {
        reportError(why); // the others are told all the same
      }
    }
  });
});

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 20_000,
      retry: (count, error) => (error.status === 0 || error.status >= 500) && count < 3,
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
      if (error instanceof ApiError && error.status === 401) return null;
      throw error;
    }
  },
  staleTime: Infinity,
});

export const sitesQuery = api.queryOptions("get", "/api/v1/sites", {}, { staleTime: 60_000 });

const at = (site: string) => ({ params: { path: { site } } });

export const goalsQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/goals", at(site), { staleTime: 60_000 });

/** Goals that were put away; each can be restored. */
export const archivedGoalsQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/goals/archived", at(site));

/** Keys that hits bore as fields of the site's own, defined or not. */
export const seenFieldsQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/fields/seen", at(site));

/** What can be read and broken down by; what there is no record of yet no screen offers. */
export const registryQuery = (site: string) =>
  api.queryOptions("get", "/api/v1/sites/{site}/registry", at(site), {
    staleTime: Infinity,
    select: (found) => ({ ...found, measures: found.measures.filter((one) => !one.hidden) }),
  });

/** Files that were imported, or are being read; while one is, they are asked for again and again. */
export const importsQuery = (site: string) =>
  api.queryOptions("get", "/api/v1/sites/{site}/import/done", at(site), {
    refetchInterval: ({ state }) => (state.data?.some((one) => one.state === "running") ? 1_000 : false),
  });

export const importQuery = (site: string, number: number) =>
  api.queryOptions("get", "/api/v1/sites/{site}/import/done/{number}", { params: { path: { site, number } } });

/** What counts in server logs. */
export const logReadingQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/import/reading", at(site));

/** What every report is asked with. */
export interface Asked {
  period: Period;
  versus: Versus;
  goal: number | null;
  segment: Segment | null;
  /** Segments that stand side by side with all of it: each measure has a column for each, named by `besideId`. */
  beside?: readonly SegmentPart[];
}

/** A period that holds today moves; it is asked for again every few seconds. */
export interface Live {
  live: boolean;
}

/** Who asks for a table may say whether it is in sight just then; what is not is read after what is. */
export interface Placed extends Live {
  isInSight?: () => boolean;
}
const renewed = (live: boolean) => ({ placeholderData: keepPreviousData, refetchInterval: live ? 4_000 : (false as const) });

/** Keeps the last answer while what was asked for it is the same in what matters; another would be told under the wrong words. */
export const keptWhile =
  <Body>(isSame: (body: Body) => boolean) =>
  <Answer>(was: Answer | undefined, before?: { queryKey: readonly unknown[] }): Answer | undefined => {
    const asked = before?.queryKey[2] as { body?: Body } | undefined;
    return asked?.body && isSame(asked.body) ? was : undefined;
  };

/** What is asked while somebody types: the last answer stays until the next, and what is not whole yet is not asked twice. */
const AS_TYPED = { placeholderData: keepPreviousData, retry: false } as const;

/** A question of a report as the request that it makes. */
const requestOf = <Rest extends object>({ measures, beside = [], ...rest }: Asked & { measures: readonly string[] } & Rest) => ({
  with_excluded: false,
  ...rest,
  columns: columnsOf(measures, beside),
});

export interface TableAsked extends Asked {
  measures: readonly string[];
  dimensions: string[];
  sort?: string;
  descending?: boolean;
  limit?: number;
  /** Values of the first dimensions, below which rows are wanted. */
  parents?: string[];
  where?: Schemas["RowCondition"][];
}

/** A table’s question as the API takes it. */
export const tableRequest = (asked: TableAsked, offset = 0): Schemas["TableRequest"] => ({
  parents: [],
  where: [],
  descending: true,
  offset,
  limit: 100,
  ...requestOf(asked),
});

const askTable = (site: string, body: Schemas["TableRequest"], signal: AbortSignal, isInSight?: () => boolean) =>
  ask((isInSight?.() === false ? afterwards : client).POST("/api/v1/sites/{site}/reports/table", { ...at(site), body, signal }));

export const tableQuery = (site: string, asked: TableAsked, { live, isInSight }: Placed) => {
  const body = tableRequest(asked);
  return {
    ...api.queryOptions("post", "/api/v1/sites/{site}/reports/table", { ...at(site), body }, { ...renewed(live), select: tableByRow }),
    queryFn: ({ signal }: { signal: AbortSignal }) => askTable(site, body, signal, isInSight),
  };
};

/** A table in pages of `limit` rows, for lists of any length. */
export const tablePagesQuery = (site: string, asked: TableAsked & { limit: number }, { live, isInSight }: Placed) =>
  infiniteQueryOptions({
    queryKey: ["table pages", site, asked],
    queryFn: async ({ pageParam, signal }) => tableByRow(await askTable(site, tableRequest(asked, pageParam), signal, isInSight)),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (pages.length * asked.limit < last.count ? pages.length * asked.limit : undefined),
    ...renewed(live),
  });

export interface SeriesAsked extends Asked {
  measures: readonly string[];
  bucket: Schemas["SeriesRequest"]["bucket"];
  /** The values of these dimensions whose course is wanted, instead of that of all. */
  dimensions?: string[];
  rows?: string[][];
}

export const seriesQuery = (site: string, asked: SeriesAsked, { live }: Live) =>
  api.queryOptions(
    "post",
    "/api/v1/sites/{site}/reports/series",
    { ...at(site), body: { dimensions: [], rows: [], ...requestOf(asked) } },
    { ...renewed(live), select: seriesByBucket },
  );

/** The segments that are saved at the site, archived ones too. */
export const segmentsQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/segments", at(site), { staleTime: 60_000 });

/** How many of the visits that are read each of these saved segments holds, by a column for each that is named by its id. */
export const segmentVisitsQuery = (
  site: string,
  { period, segment, ids }: { period: Period; segment: Segment | null; ids: readonly number[] },
  { live }: Live,
) => {
  const columns = ids.map((id) => ({ id: String(id), measure: "visits", segment: segmentOf([], [{ kind: "saved" as const, id }]) }));
  const body = { ...tableRequest({ period, versus: "none", goal: null, segment, dimensions: [], measures: [] }), columns };
  return api.queryOptions("post", "/api/v1/sites/{site}/reports/table", { ...at(site), body }, renewed(live));
};

/** How many a segment holds, as it is written. */
export const segmentSizeQuery = (site: string, body: Schemas["SegmentSizeRequest"]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/segments/size", { ...at(site), body }, AS_TYPED);

/** What stands out. */
export const insightsQuery = (site: string, body: Schemas["InsightsRequest"], { live }: Live) =>
  api.queryOptions("post", "/api/v1/sites/{site}/reports/insights", { ...at(site), body }, { ...renewed(live), refetchInterval: false });

/** What was done with forms, media and promotions. */
export const activityQuery = (site: string, body: Schemas["ActivityRequest"], { live }: Live) =>
  api.queryOptions("post", "/api/v1/sites/{site}/reports/activity", { ...at(site), body }, renewed(live));

/** Between what a measure is expected on each day. */
export const expectedQuery = (site: string, body: Schemas["ExpectedRequest"]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/reports/expected", { ...at(site), body }, { staleTime: 300_000 });

/** Who may enter the site. */
export const membersQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/members", at(site));

/** Links by which others may. */
export const invitationsQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/invitations", at(site));

/** Who changed what, the newest first, in pages; with a text, what has it in it. */
export const changesQuery = (site: string, text: string) =>
  infiniteQueryOptions({
    queryKey: ["changes", site, text],
    queryFn: ({ pageParam, signal }) => {
      const query = { text, ...(pageParam ? { before: pageParam } : {}) };
      return ask(client.GET("/api/v1/sites/{site}/changes", { params: { path: { site }, query }, signal }));
    },
    initialPageParam: 0,
    getNextPageParam: (last) => (last.more ? last.changes.at(-1)?.id : undefined),
    placeholderData: keepPreviousData,
  });

/** One's own account. */
export const accountQuery = api.queryOptions("get", "/api/v1/account", {});

/** What was changed of it. */
export const accountChangesQuery = api.queryOptions("get", "/api/v1/account/changes", {});

/** Whether a code is asked for when one signs in. */
export const secondFactorQuery = api.queryOptions("get", "/api/v1/account/second-factor", {});

/** By which provider one may sign in. */
export const providerQuery = api.queryOptions("get", "/api/v1/openid", {}, { staleTime: Infinity });

/** Where one is signed in. */
export const sessionsQuery = api.queryOptions("get", "/api/v1/account/sessions", {});

/** Sites of one's own that were deleted and can be brought back. */
export const deletedSitesQuery = api.queryOptions("get", "/api/v1/deleted-sites", {});

/** Tokens of one's own. */
export const tokensQuery = api.queryOptions("get", "/api/v1/account/tokens", {});

/** What was noted on days of the site, the newest day first. */
export const logbookQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/logbook", at(site), { staleTime: 60_000 });

/** Two groups, value by value, in pages. */
export const compareQuery = (site: string, body: Schemas["CompareRequest"], { live }: Live) =>
  infiniteQueryOptions({
    queryKey: ["compared", site, body],
    queryFn: async ({ pageParam, signal }) =>
      comparedByRow(
        await ask(client.POST("/api/v1/sites/{site}/reports/compare", { ...at(site), body: { ...body, offset: pageParam }, signal })),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (pages.length * body.limit < last.count ? pages.length * body.limit : undefined),
    ...renewed(live),
  });

export const visitsQuery = (site: string, body: Schemas["VisitsRequest"], { live }: Live) =>
  infiniteQueryOptions({
    queryKey: ["visits", site, body],
    queryFn: ({ pageParam, signal }) =>
      ask(client.POST("/api/v1/sites/{site}/visits", { ...at(site), body: { ...body, after: pageParam }, signal })),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next,
    ...renewed(live),
  });

/** The newest hits, of one visitor where one is named; asked again every few seconds. */
export const nowQuery = (site: string, visitor: string | null) =>
  api.queryOptions(
    "get",
    "/api/v1/sites/{site}/now",
    { params: { path: { site }, query: { visitor, limit: 20 } } },
    {
      refetchInterval: 2_000,
    },
  );

/** Who opened the link with this token; asked until somebody has. */
export const followedQuery = (site: string, token: string) =>
  api.queryOptions(
    "get",
    "/api/v1/sites/{site}/followed/{token}",
    { params: { path: { site, token } } },
    {
      refetchInterval: (query) => (query.state.data?.visitor ? false : 1_000),
    },
  );

/** Every event that ever arrived, with its figures in the period. */
export const eventsQuery = (site: string, body: Schemas["EventsRequest"], { live }: Live) =>
  api.queryOptions("post", "/api/v1/sites/{site}/events", { ...at(site), body }, renewed(live));

export const countedQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/goals/counted", at(site));

/** What a goal that is being written would have counted. */
export const previewQuery = (site: string, goal: Schemas["PreviewRequest"]["goal"]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/goals/preview", { ...at(site), body: { goal } }, AS_TYPED);

/** What other aliases and channels would move in the last 90 days. */
export const sortingPreviewQuery = (site: string, body: Schemas["Sorting"]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/sorting/preview", { ...at(site), body }, AS_TYPED);

/** What one fix would move in the last 90 days. */
export const fixPreviewQuery = (site: string, fix: Schemas["FixIn"]["fix"]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/findings/fix/preview", { ...at(site), body: { fix, undo: false } }, AS_TYPED);

/** What was fixed in Tag health and still holds. */
export const fixedQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/findings/fixed", at(site));

export const sortingHistoryQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/sorting/history", at(site));

/** The draft of the rules and all versions. */
export const rulesQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/rules", at(site));

/** What is another in one version of the rules than in another; 0 is the draft. */
export const comparedRulesQuery = (site: string, before: number, after: number) =>
  api.queryOptions("get", "/api/v1/sites/{site}/rules/changes", { params: { path: { site }, query: { before, after } } });

/** Links as they are typed, finished, with remarks. */
export const buildQuery = (site: string, drafts: Schemas["LinkDraft"][]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/links/build", { ...at(site), body: drafts }, AS_TYPED);

export const linksQuery = (site: string, goal: number | null) =>
  api.queryOptions("get", "/api/v1/sites/{site}/links", { params: { path: { site }, query: { goal } } });

export const unregisteredLinksQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/links/unregistered", at(site));

export const vocabularyQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/vocabulary", at(site));

/** A QR code that was read again before it came. */
export const codeQuery = (site: string, body: Schemas["CodeRequest"]) =>
  api.queryOptions("post", "/api/v1/sites/{site}/links/code", { ...at(site), body }, { ...AS_TYPED, staleTime: Infinity });

export const findingsQuery = (site: string) => api.queryOptions("get", "/api/v1/sites/{site}/findings", at(site));

/** Where a page of the site is. */
export const lastPageQuery = (site: string) =>
  api.queryOptions("get", "/api/v1/sites/{site}/last-page", at(site), {
    staleTime: 60_000,
  });

/** What was turned away since a moment. */
export const refusedQuery = (site: string, since: string) =>
  api.queryOptions(
    "get",
    "/api/v1/sites/{site}/refused",
    { params: { path: { site }, query: { since } } },
    {
      refetchInterval: 2_000,
    },
  );

export const visitDetailQuery = (site: string, visitor: string, number: number, goal: number | null) =>
  api.queryOptions("get", "/api/v1/sites/{site}/visits/detail", { params: { path: { site }, query: { visitor, number, goal } } });

export const answerQuery = (site: string, body: Schemas["AnswerRequest"], { live }: Live) =>
  api.queryOptions("post", "/api/v1/sites/{site}/reports/answer", { ...at(site), body }, renewed(live));

/** What every view of a site needs. */
export const prefetchSite = (site: string) =>
  Promise.all([
    queries.prefetchQuery(goalsQuery(site)),
    queries.prefetchQuery(registryQuery(site)),
    queries.prefetchQuery(segmentsQuery(site)),
    queries.prefetchQuery(logbookQuery(site)),
  ]);
