import type { Part } from "../tools";
import { visitOf } from "../visit";

/** What rules ask of the visit under way. */
const visit: Part = (tools) => {
  if (!tools.trying) tools.visit = visitOf(tools, tools.given.gap ?? 30);
};

uc_parts.push(visit);
