import type { RegisteredRouter } from "@tanstack/react-router";

/** A view of a site, as the router knows it; which site is a parameter. */
export type ViewPath = Exclude<Extract<keyof RegisteredRouter["routesByPath"], `/s/$site/${string}`>, `${string}/$number`>;

export const HOME = "/s/$site/read/overview";
/** Where a new site begins. */
export const START = "/s/$site/start";
export const NEW_SITE = "/s/$site/new-site";
