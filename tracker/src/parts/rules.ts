import { runRules } from "../rules/engine";
import type { Part } from "../tools";

/** The rules that are live; whoever tries others out has those instead. */
const rules: Part = (tools) => {
  if (!tools.trying) runRules(tools, tools.given.rules ?? []);
};

uc_parts.push(rules);
