import type { Rule } from "../rules/data";
import { runRules } from "../rules/engine";
import { panel } from "../rules/panel";
import { safely } from "../safe";
import { seenBy } from "../seen";
import { endTrial } from "../settings";
import type { Tools } from "../tools";
import { visitOf } from "../visit";

/** What the server writes around this script for the one browser that tries the draft out. */
declare const uc_trial: { rules: Rule[]; gap: number };

safely(() => {
  const tools = (document.currentScript as (HTMLScriptElement & { uc?: Tools }) | null)?.uc;
  if (!tools) return;
  tools.trying = true;
  tools.seen = seenBy(tools);
  tools.visit = visitOf(tools, uc_trial.gap);
  const watch = panel(tools, uc_trial.rules, () => {
    endTrial();
    location.reload();
  });
  runRules(tools, uc_trial.rules, watch);
})();
