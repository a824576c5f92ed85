import type { Schemas } from "@/api/client";
import { plural } from "@/words/format";

export type Role = Schemas["MemberOut"]["role"];
export type Scope = Schemas["ApiTokenOut"]["scope"];

/** What each role may do. */
export const ROLES: Record<Role, string> = {
  viewer: "viewer: reads everything",
  analyst: "analyst: reads, and changes how it is tagged and read",
  owner: "owner: may do everything, also let people in",
};

/** What a token with each scope may do. */
export const SCOPES: Record<Scope, string> = {
  read: "read: ask for reports, change nothing",
  write: "write: all that you may do yourself",
  import: "import: bring files in, and nothing else",
};

/** Who may enter a site, as a sentence. */
export function membersSaid(members: readonly { role: Role }[], site: string): string {
  const count = (role: Role) => members.filter((one) => one.role === role).length;
  const told = (["owner", "analyst", "viewer"] as const).flatMap((role) => (count(role) ? [plural(count(role), role)] : []));
  const last = told.pop() ?? "";
  return `${plural(members.length, "person", "people")} may enter ${site}: ${told.length ? `${told.join(", ")} and ${last}` : last}.`;
}
