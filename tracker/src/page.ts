import { settings } from "./settings";

const ROUTE = /^#!?\/[^?]*/;
const bare = (path: string): string => path.replace(/\/+$/, "");

/** Whether the address leads to a place on a page that stands behind `#`, and no longer says which. */
export const isPlace = (): unknown => settings.hash && location.hash && !ROUTE.test(location.hash);

/** The address of the page as it is sent: without its fragment, unless pages of the site stand behind it. */
export const here = (): string => (settings.hash && ROUTE.test(location.hash) ? location.href : (location.href.split("#")[0] ?? ""));

/** What tells one page from another, as they are counted: path, the query keys that the site keeps (or all), and what stands behind `#` where that is a page. */
export function pageOf(href: string): string {
  const url = new URL(href);
  const kept = (settings.kept ?? []).map((key) => url.searchParams.getAll(key).find(Boolean));
  return [url.host + bare(url.pathname), settings.every ? url.search : kept, settings.hash && bare(ROUTE.exec(url.hash)?.[0] ?? "")].join();
}
