import type { Site } from "@/api/client";

/** What somebody may do on a site: read it, change how it is tagged and read, own it. */
export type Right = "edit" | "own";

export const can = (site: Pick<Site, "role">, right: Right): boolean => (right === "own" ? site.role === "owner" : site.role !== "viewer");
