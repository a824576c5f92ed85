import { seenBy } from "../seen";
import type { Part } from "../tools";

/** Elements that come into view, for other parts. */
const part: Part = (tools) => (tools.seen = tools.safely(seenBy(tools)));

uc_parts.push(part);
