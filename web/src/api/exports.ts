import { ask, client, type Schemas } from "@/api/client";

export type FileFormat = "csv" | "xlsx" | "jsonl" | "parquet";

const as = <Query extends object>(site: string, query: Query) => ({ params: { path: { site }, query }, parseAs: "blob" as const });
const blob = (call: Promise<{ data?: unknown }>): Promise<Blob> => ask(call) as Promise<Blob>;

/** A table as a file: the page that is asked for, or every row there is. */
export const tableFile = (site: string, format: FileFormat, body: Schemas["TableRequest"], rows: "shown" | "all"): Promise<Blob> =>
  blob(client.POST("/api/v1/sites/{site}/exports/table", { ...as(site, { format, rows }), body }));

/** Every visit of a question. */
export const visitsFile = (site: string, format: FileFormat, body: Schemas["VisitsRequest"]): Promise<Blob> =>
  blob(client.POST("/api/v1/sites/{site}/exports/visits", { ...as(site, { format }), body }));

/** Every value that is compared. */
export const comparedFile = (site: string, format: FileFormat, body: Schemas["CompareRequest"]): Promise<Blob> =>
  blob(client.POST("/api/v1/sites/{site}/exports/compare", { ...as(site, { format }), body }));

/** Rows as they are seen. */
export const rowsFile = (site: string, format: FileFormat, body: Schemas["RowsIn"]): Promise<Blob> =>
  blob(client.POST("/api/v1/sites/{site}/exports/rows", { ...as(site, { format }), body }));

/** Every change of a site, or those with a text in them, as a file. */
export const changesFile = (site: string, format: FileFormat, text: string): Promise<Blob> =>
  blob(client.GET("/api/v1/sites/{site}/changes/file", as(site, { format, text })));
