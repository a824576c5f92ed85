import {
  createRootRoute,
  createRoute,
  createRouter,
  lazyRouteComponent,
  Outlet,
  type ErrorComponentProps,
  type RouteComponent,
} from "@tanstack/react-router";

import { RequireSession } from "@/app/RequireSession";
import { parseSearch, readView, stringifySearch } from "@/state/address";
import { ViewPending } from "@/ledger/ViewPending";
import { ViewError } from "@/ui/states";
import { NotFound } from "@/views/start/NotFound";
import { Overview } from "@/views/read/Overview";

const root = createRootRoute({ component: Outlet, notFoundComponent: NotFound });
const door = createRoute({ getParentRoute: () => root, path: "/", component: RequireSession });

const invited = createRoute({
  getParentRoute: () => root,
  path: "/invited",
  component: lazyRouteComponent(() => import("@/views/start/Invited"), "Invited"),
});

export const siteRoute = createRoute({
  getParentRoute: () => root,
  path: "/s/$site",
  validateSearch: readView,
  component: RequireSession,
});

export const overviewRoute = createRoute({ getParentRoute: () => siteRoute, path: "/read/overview", component: Overview });

/** A view that a session rarely begins with comes when it is wanted. */
const view = <const Path extends string>(path: Path, component: RouteComponent) =>
  createRoute({ getParentRoute: () => siteRoute, path, component });

/** A view that failed; the frame around it stays. */
function Failed({ error, reset }: ErrorComponentProps) {
  return <ViewError error={error instanceof Error ? error : null} again={reset} />;
}

/** All pieces of the kit on one page, where the front end is worked on. */
const development = import.meta.env.DEV
  ? [
      createRoute({
        getParentRoute: () => root,
        path: "/kit",
        component: lazyRouteComponent(() => import("@/app/Kit"), "Kit"),
      }),
    ]
  : [];

export const router = createRouter({
  routeTree: root.addChildren([
    door,
    invited,
    ...development,
    siteRoute.addChildren([
      overviewRoute,
      view(
        "/start",
        lazyRouteComponent(() => import("@/views/start/Start"), "Start"),
      ),
      view(
        "/new-site",
        lazyRouteComponent(() => import("@/views/start/NewSite"), "NewSite"),
      ),
      view(
        "/tag/site-code",
        lazyRouteComponent(() => import("@/views/tag/SiteCode"), "SiteCode"),
      ),
      view(
        "/tag/events",
        lazyRouteComponent(() => import("@/views/tag/Events"), "Events"),
      ),
      view(
        "/tag/goals",
        lazyRouteComponent(() => import("@/views/tag/Goals"), "Goals"),
      ),
      view(
        "/tag/fields",
        lazyRouteComponent(() => import("@/views/tag/SiteFields"), "SiteFields"),
      ),
      view(
        "/tag/rules",
        lazyRouteComponent(() => import("@/views/tag/Rules"), "Rules"),
      ),
      view(
        "/tag/links",
        lazyRouteComponent(() => import("@/views/tag/Links"), "Links"),
      ),
      view(
        "/tag/channels",
        lazyRouteComponent(() => import("@/views/tag/Channels"), "Channels"),
      ),
      view(
        "/tag/import",
        lazyRouteComponent(() => import("@/views/tag/Import"), "Import"),
      ),
      view(
        "/tag/settings",
        lazyRouteComponent(() => import("@/views/tag/Settings"), "Settings"),
      ),
      view(
        "/tag/people",
        lazyRouteComponent(() => import("@/views/people/People"), "People"),
      ),
      view(
        "/tag/changes",
        lazyRouteComponent(() => import("@/views/people/Changes"), "Changes"),
      ),
      view(
        "/account",
        lazyRouteComponent(() => import("@/views/account/Account"), "Account"),
      ),
      view(
        "/read/pages",
        lazyRouteComponent(() => import("@/views/read/Pages"), "Pages"),
      ),
      view(
        "/read/sources",
        lazyRouteComponent(() => import("@/views/read/Sources"), "Sources"),
      ),
      view(
        "/read/events",
        lazyRouteComponent(() => import("@/views/read/Events"), "Events"),
      ),
      view(
        "/read/audience",
        lazyRouteComponent(() => import("@/views/read/Audience"), "Audience"),
      ),
      view(
        "/explain/compare",
        lazyRouteComponent(() => import("@/views/explain/Compare"), "Compare"),
      ),
      view(
        "/explain/funnels",
        lazyRouteComponent(() => import("@/views/explain/Funnels"), "Funnels"),
      ),
      view(
        "/explain/paths",
        lazyRouteComponent(() => import("@/views/explain/Paths"), "Paths"),
      ),
      view(
        "/explain/attribution",
        lazyRouteComponent(() => import("@/views/explain/Attribution"), "Attribution"),
      ),
      view(
        "/explain/drivers",
        lazyRouteComponent(() => import("@/views/explain/Drivers"), "Drivers"),
      ),
      view(
        "/explain/segments",
        lazyRouteComponent(() => import("@/views/explain/Segments"), "Segments"),
      ),
      view(
        "/watch/tag-health",
        lazyRouteComponent(() => import("@/views/watch/TagHealth"), "TagHealth"),
      ),
      view(
        "/watch/now",
        lazyRouteComponent(() => import("@/views/watch/Now"), "Now"),
      ),
      view(
        "/watch/visits",
        lazyRouteComponent(() => import("@/views/watch/Visits"), "Visits"),
      ),
      view(
        "/watch/visits/$visitor/$number",
        lazyRouteComponent(() => import("@/views/watch/VisitDetail"), "VisitDetail"),
      ),
    ]),
  ]),
  parseSearch,
  stringifySearch,
  defaultPreload: false,
  defaultPendingComponent: ViewPending,
  defaultErrorComponent: Failed,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
