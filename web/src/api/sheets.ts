import { ask, client, type Schemas } from "@/api/client";

// The bytes go as they are: the server says by which encoding it read them.
const sheet = (site: string, file: Blob | string, byVocabulary: boolean) => ({
  params: { path: { site }, query: { by_vocabulary: byVocabulary } },
  body: "",
  bodySerializer: () => file,
  headers: { "Content-Type": "text/csv" },
});

/** What a sheet of links makes, line by line. */
export const judgeSheet = (site: string, file: Blob, byVocabulary: boolean): Promise<Schemas["SheetAnswer"]> =>
  ask(client.POST("/api/v1/sites/{site}/links/csv", sheet(site, file, byVocabulary)));

/** A sheet of links, finished, as CSV. */
export const askSheet = (site: string, file: Blob | string, byVocabulary = false): Promise<string> =>
  ask(client.POST("/api/v1/sites/{site}/links/csv/finished", { ...sheet(site, file, byVocabulary), parseAs: "text" })) as Promise<string>;

/** A sheet to begin with. */
export const askTemplate = (site: string): Promise<string> =>
  ask(client.GET("/api/v1/sites/{site}/links/csv", { params: { path: { site } }, parseAs: "text" })) as Promise<string>;
