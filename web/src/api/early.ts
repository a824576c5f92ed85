/** So long (ms) an answer may take that the page asked for before its scripts were there; then it is asked for anew. */
const PATIENCE = 2_000;

/** By path; nothing where it was not asked for after all. */
const early = (globalThis as { early?: Map<string, Promise<Response | null>> }).early ?? new Map<string, Promise<Response | null>>();

/** As `fetch`; what the page has asked for while its scripts came (see index.html) is not asked for again, once. */
export async function fetched(request: Request): Promise<Response> {
  const { pathname, search } = new URL(request.url);
  const there = request.method === "GET" && !search ? early.get(pathname) : undefined;
  if (!there) return fetch(request);
  early.delete(pathname);
  const tooLate = new Promise<null>((over) => setTimeout(() => over(null), PATIENCE));
  return (await Promise.race([there, tooLate]).catch(() => null)) ?? fetch(request);
}
