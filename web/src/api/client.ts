import createClient from "openapi-fetch";
import createQueries from "openapi-react-query";

import { fetched } from "@/api/early";
import { inWords } from "@/api/fieldNames";
import { gathering, KnownRequest } from "@/api/together";
import type { components, paths } from "@/generated/schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["ProblemDocument"];
export type Session = Schemas["SessionOut"];
export type Site = Schemas["SiteOut"];
export type StoredGoal = Schemas["GoalOut"];
export type StoredSegment = Schemas["SegmentOut"];
export type Measure = Schemas["MeasureOut"];
export type Registry = Schemas["Registry"];
export type { ComparedRow, Condition, DimensionFilter, MeasureValues, Row, Segment, SegmentPart, Series, Table } from "@/api/figures";
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
export class ApiError extends Error implements Problem {
  readonly type;
  readonly title;
  readonly status;
  readonly detail;
  readonly errors;
  readonly request;
  constructor({ type, title, status, detail, errors = [], request = null }: Omit<Problem, "errors" | "request"> & Partial<Problem>) {
    const [first] = errors;
    const own = first && detail === `${first.field}: ${first.text}` ? `${inWords(first.field)}: ${first.text}` : detail;
    super(own);
    this.type = type;
    this.title = title;
    this.status = status;
    this.detail = own;
    this.errors = errors;
    this.request = request;
  }
}

/** What is wrong with the one thing that was asked or sent, without the name that the server has for it. */
export const whatIsWrong = ({ errors, detail }: Problem): string => errors[0]?.text ?? detail;

declare module "@tanstack/react-query" {
  interface Register {
    defaultError: ApiError;
  }
}

let csrf = "";
export const rememberCsrf = (token: string | null | undefined): void => {
  csrf = token ?? "";
};

/** What a request that changes something bears. */
export const csrfHeader = (): [string, string][] => (csrf ? [["X-CSRF-Token", csrf]] : []);

/** The whole of an answer; throws an ApiError with a sentence for people when it is none, or breaks off, or is a problem. */
async function fetchWhole(request: Request): Promise<Response> {
  if (request.method !== "GET") for (const [name, value] of csrfHeader()) request.headers.set(name, value);
  const [response, body] = await fetched(request)
    .then(async (answer) => [answer, await answer.blob()] as const)
    .catch((error: unknown) => {
      if (request.signal.aborted) throw error;
      const detail = "The server does not answer. What you see stays as it was; it is tried again automatically.";
      throw new ApiError({ type: "about:blank", title: "No answer", status: 0, detail });
    });
  if (response.ok) return new Response(body.size ? body : null, response);
  const found = (await new Response(body).json().catch(() => ({}))) as Partial<Problem>;
  const detail = found.detail ?? `The server answered ${response.status}.`;
  throw new ApiError({ type: "about:blank", title: "Problem", ...found, status: response.status, detail });
}

const { now, after, go } = gathering(fetchWhole);
/** Sends the tables and courses that were asked for in this turn, without waiting for its end. */
export const sendAsked = go;
export const client = createClient<paths>({ baseUrl: "/", fetch: now, Request: KnownRequest });
/** For what is out of sight: its tables are read after those that are asked for in the same turn. */
export const afterwards = createClient<paths>({ baseUrl: "/", fetch: after, Request: KnownRequest });

/** Questions by the API's own paths; what a question is kept under is its path and all that it was asked with. */
export const api = createQueries(client);

/** The data of an answer; its failures were thrown before. */
export const ask = async <T>(call: Promise<{ data?: T }>): Promise<T> => (await call).data as T;
