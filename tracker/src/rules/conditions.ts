import type { Tools } from "../tools";
import type { Condition } from "./data";
import { query } from "./values";

function tested(found: string, test: string, value: string): boolean {
  switch (test) {
    case "is":
      return found === value;
    case "is not":
      return found !== value;
    case "starts with":
      return found.startsWith(value);
    case "contains":
      return found.includes(value);
    case "does not contain":
      return !found.includes(value);
    case "is empty":
      return !found;
    default:
      return Boolean(found);
  }
}

/** By the same signs as reports tell devices. */
function device(): string {
  const agent = navigator.userAgent.toLowerCase();
  if (/ipad|tablet|kindle|silk\/|android(?!.*mobile)/.test(agent)) return "tablet";
  if (/iphone|ipod|windows phone|mobile/.test(agent)) return "phone";
  return /windows|mac os x|linux|cros|x11/.test(agent) ? "desktop" : "other";
}

/** A number from 0 to 99 that stays the same for a visitor and a rule. */
function hashBucket(text: string): number {
  let hash = 2166136261;
  for (const sign of text) hash = Math.imul(hash ^ (sign.codePointAt(0) ?? 0), 16777619);
  return ((hash ^ (hash >>> 15)) >>> 0) % 100;
}

/** Whether a condition holds, and what was found. */
export function holds(tools: Tools, condition: Condition, rule: string): [boolean, string] {
  const here = new URL(tools.address());
  const asked = (found: string): [boolean, string] => [
    tested(found, (condition as { test: string }).test, (condition as { value: string }).value),
    found,
  ];
  switch (condition.kind) {
    case "page":
      return asked(here.pathname.replace(/\/+$/, "") || "/");
    case "host":
      return asked(here.hostname);
    case "referrer":
      return asked(tools.referrer());
    case "query":
      return asked(query(tools.address(), condition.key));
    case "field":
      return asked(tools.fields()[condition.key] ?? "");
    case "device":
      return [condition.devices.includes(device()), device()];
    case "visitor": {
      const found = tools.visit?.fresh() ? "new" : "returning";
      return [found === condition.visitor, found];
    }
    default:
      return [hashBucket(tools.visitor() + rule) < condition.percent, ""];
  }
}
