import { createRootRoute, createRoute, createRouter, Outlet } from "@tanstack/react-router";

import { Door } from "@/app/Door";
import { parseSearch, readView, stringifySearch } from "@/state/address";
import { NotFound } from "@/views/NotFound";
import { Overview } from "@/views/Overview";

const root = createRootRoute({ component: Outlet, notFoundComponent: NotFound });
const door = createRoute({ getParentRoute: () => root, path: "/", component: Door });

export const siteRoute = createRoute({
  getParentRoute: () => root,
  path: "/s/$site",
  validateSearch: readView,
  component: Door,
});

export const overviewRoute = createRoute({ getParentRoute: () => siteRoute, path: "/read/overview", component: Overview });

export const router = createRouter({
  routeTree: root.addChildren([door, siteRoute.addChildren([overviewRoute])]),
  parseSearch,
  stringifySearch,
  defaultPreload: false,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
