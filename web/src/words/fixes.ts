import type { Fix } from "@/api/client";

/** What the button says that does it. */
export function fixVerb(fix: Fix): string {
  switch (fix.kind) {
    case "alias":
      return `Read it as ${fix.that}`;
    case "channel":
      return `Give it the channel ${fix.channel}`;
    default:
      return "Ignore as a source";
  }
}

/** What was done: `the medium e-mail is read as email`. */
export function fixWords(fix: Fix): string {
  switch (fix.kind) {
    case "alias":
      return `the ${fix.field} ${fix.this} is read as ${fix.that}`;
    case "channel":
      return `the medium ${fix.medium} has the channel ${fix.channel}`;
    default:
      return `${fix.host} is ignored as a source`;
  }
}
