import { createRootRoute, createRoute, createRouter, lazyRouteComponent, Outlet } from "@tanstack/react-router";

import type { ComponentType } from "react";

import { RequireSession } from "@/app/RequireSession";
import { parseSearch, readView, stringifySearch } from "@/state/address";
import { NotFound } from "@/views/NotFound";
import { Overview } from "@/views/Overview";

const root = createRootRoute({ component: Outlet, notFoundComponent: NotFound });
const door = createRoute({ getParentRoute: () => root, path: "/", component: RequireSession });

export const siteRoute = createRoute({
  getParentRoute: () => root,
  path: "/s/$site",
  validateSearch: readView,
  component: RequireSession,
});

export const overviewRoute = createRoute({ getParentRoute: () => siteRoute, path: "/read/overview", component: Overview });

const view = (path: string, load: () => Promise<ComponentType>) =>
  createRoute({ getParentRoute: () => siteRoute, path, component: lazyRouteComponent(async () => ({ default: await load() })) });

/** What a session rarely begins with comes when it is wanted. */
const lazy = [
  view("/tag/site-code", async () => (await import("@/views/tag/SiteCode")).SiteCode),
  view("/tag/events", async () => (await import("@/views/tag/Events")).Events),
  view("/tag/goals", async () => (await import("@/views/tag/Goals")).Goals),
  view("/tag/fields", async () => (await import("@/views/tag/SiteFields")).SiteFields),
  view("/tag/rules", async () => (await import("@/views/tag/Rules")).Rules),
  view("/tag/links", async () => (await import("@/views/tag/Links")).Links),
  view("/tag/channels", async () => (await import("@/views/tag/Channels")).Channels),
  view("/tag/settings", async () => (await import("@/views/tag/Settings")).Settings),
  view("/watch/tag-health", async () => (await import("@/views/watch/TagHealth")).TagHealth),
  view("/watch/now", async () => (await import("@/views/watch/Now")).Now),
  view("/watch/visits", async () => (await import("@/views/watch/Visits")).Visits),
  view("/watch/visits/$visitor/$number", async () => (await import("@/views/watch/VisitDetail")).VisitDetail),
];

/** All pieces of the kit on one page, where the front end is worked on. */
const development = import.meta.env.DEV
  ? [
      createRoute({
        getParentRoute: () => root,
        path: "/kit",
        component: lazyRouteComponent(async () => ({ default: (await import("@/ui/Kit")).Kit })),
      }),
    ]
  : [];

export const router = createRouter({
  routeTree: root.addChildren([door, ...development, siteRoute.addChildren([overviewRoute, ...lazy])]),
  parseSearch,
  stringifySearch,
  defaultPreload: false,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
