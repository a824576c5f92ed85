import type { RegisteredRouter } from "@tanstack/react-router";

import { parseSearch, readView, type ViewSearch } from "@/state/address";

/** A view of a site, as the router knows it; which site is a parameter. */
export type ViewPath = Exclude<Extract<keyof RegisteredRouter["routesByPath"], `/s/$site/${string}`>, `${string}/$number`>;

export const HOME = "/s/$site/read/overview";
/** Where a new site begins. */
export const START = "/s/$site/start";
export const NEW_SITE = "/s/$site/new-site";
export const ACCOUNT = "/s/$site/account";

/** Every view of a site; the compiler says when one is missing. */
const VIEWS: Readonly<Record<ViewPath, true>> = {
  "/s/$site/start": true,
  "/s/$site/new-site": true,
  "/s/$site/account": true,
  "/s/$site/tag/site-code": true,
  "/s/$site/tag/events": true,
  "/s/$site/tag/goals": true,
  "/s/$site/tag/fields": true,
  "/s/$site/tag/rules": true,
  "/s/$site/tag/links": true,
  "/s/$site/tag/channels": true,
  "/s/$site/tag/import": true,
  "/s/$site/tag/settings": true,
  "/s/$site/tag/people": true,
  "/s/$site/tag/changes": true,
  "/s/$site/watch/now": true,
  "/s/$site/watch/visits": true,
  "/s/$site/watch/tag-health": true,
  "/s/$site/read/overview": true,
  "/s/$site/read/pages": true,
  "/s/$site/read/sources": true,
  "/s/$site/read/audience": true,
  "/s/$site/read/events": true,
  "/s/$site/explain/compare": true,
  "/s/$site/explain/funnels": true,
  "/s/$site/explain/paths": true,
  "/s/$site/explain/attribution": true,
  "/s/$site/explain/drivers": true,
  "/s/$site/explain/segments": true,
};

const isView = (path: string): path is ViewPath => Object.hasOwn(VIEWS, path);

/** A view of a site, with what it is read under, of an address that was kept as text; nothing where there is no such view any more. */
export function viewAt(address: string): { to: ViewPath; search: ViewSearch } | null {
  const [path = "", search = ""] = address.split("?", 2);
  const to = `/s/$site${path}`;
  return isView(to) ? { to, search: readView(parseSearch(search)) } : null;
}

/** The key of the site that an address is of. */
export const siteOf = (path: string): string | undefined => /^\/s\/([^/]+)/.exec(path)?.[1];
