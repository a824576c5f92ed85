import createClient, { type Middleware } from "openapi-fetch";

import type { components, paths } from "@/generated/schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["ProblemDocument"];
export type Session = Schemas["SessionOut"];
export type Site = Schemas["SiteOut"];
export type StoredGoal = Schemas["GoalOut"];
export type Measure = Schemas["MeasureOut"];
export type Registry = Schemas["Registry"];
export type { DimensionFilter, MeasureValues, Row, Series, Table } from "@/api/figures";
export type LiveUpdate = Schemas["LiveUpdate"];
export type HitRecord = Schemas["HitRecord"];
export type VisitRecord = Schemas["VisitRecord"];
export type SiteEvent = Schemas["EventOut"];
export type EventNote = Schemas["EventNote"];
export type Goal = Schemas["Goal"];
export type SiteField = Schemas["SiteField"];
export type Finding = Schemas["FindingOut"];
export type Fix = Schemas["FixIn"]["fix"];
export type Period = Schemas["Period"];
export type Versus = "none" | "before" | "year";

/** An answer that was a problem document, or no answer at all (status 0). */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

let csrf = "";
export const rememberCsrf = (token: string | null | undefined): void => {
  csrf = token ?? "";
};

const guard: Middleware = {
  onRequest({ request }) {
    if (csrf && request.method !== "GET") request.headers.set("X-CSRF-Token", csrf);
    return request;
  },
};

export const client = createClient<paths>({ baseUrl: "/" });
client.use(guard);

/** The data of an answer; throws an ApiError with a sentence for people when there is none. */
export async function ask<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const answer = await call.catch(() => {
    const detail = "The server does not answer. What you see stays as it was; it is tried again by itself.";
    throw new ApiError({ type: "about:blank", title: "No answer", status: 0, detail, errors: [] });
  });
  if (answer.response.ok) return answer.data as T;
  const found = answer.error as Partial<Problem> | undefined;
  const detail = found?.detail ?? `The server answered ${answer.response.status}.`;
  throw new ApiError({ type: "about:blank", title: "Problem", errors: [], ...found, status: answer.response.status, detail });
}
