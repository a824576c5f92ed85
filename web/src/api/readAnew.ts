import type { QueryClient } from "@tanstack/react-query";

/** Reads whatever is shown anew. What was asked for before and has not come yet would tell how things were, so it is asked for again. */
export async function readAnew(queries: QueryClient): Promise<void> {
  await queries.cancelQueries();
  await queries.invalidateQueries();
}
