import type { Tools } from "../tools";
import { holds } from "./conditions";
import type { Action, Rule, Watch } from "./data";
import { number, read } from "./values";
import { listen } from "./when";

const inserted = new Map<Action, Node[]>();

function insert(action: Extract<Action, { kind: "html" }>): string {
  if (action.refused || inserted.get(action)?.some((node) => node.isConnected)) return "";
  const target = document.querySelector(action.selector);
  if (!target) return "";
  // What is in it was looked through by the server; a template runs nothing either.
  const made = document.createElement("template");
  made.innerHTML = action.html;
  inserted.set(action, Array.from(made.content.childNodes));
  if (action.place === "before") target.before(made.content);
  else if (action.place === "after") target.after(made.content);
  else if (action.place === "instead") target.replaceWith(made.content);
  else if (action.place === "at the start") target.prepend(made.content);
  else target.append(made.content);
  return action.selector;
}

/** What was done, in a word or two for whoever tries it out; empty when nothing could be. */
function act(tools: Tools, action: Action, element?: Element): string {
  const worth = "value" in action && action.value && action.kind !== "field" ? number(read(tools, action.value, element)) : undefined;
  switch (action.kind) {
    case "event": {
      const props: Record<string, string> = {};
      for (const { key, value } of action.props ?? []) {
        const found = read(tools, value, element);
        if (found) props[key] = found;
      }
      tools.event(action.name, props, worth);
      return (
        [...Object.entries(props).map(([key, value]) => `${key}: ${value}`), ...(worth === undefined ? [] : [`${worth}`])].join(", ") ||
        action.name
      );
    }
    case "goal":
      tools.event(action.name, undefined, worth);
      return worth === undefined ? action.name : `${worth}`;
    case "field": {
      const found = read(tools, action.value, element);
      if (found) tools.field(action.key, found);
      return found;
    }
    default:
      return insert(action);
  }
}

/** Does what the rules say, each for itself: one that fails takes no other with it. */
export function runRules(tools: Tools, rules: Rule[], watch?: Watch): void {
  const fire = (rule: Rule, element?: Element, which?: (action: Action) => boolean): void => {
    const go = tools.safely(() => {
      for (const condition of rule.only_if ?? []) {
        const [held, found] = holds(tools, condition, rule.id);
        if (!held) return watch?.held_back(rule, condition, found);
      }
      rule.then.forEach(
        tools.safely((action: Action) => {
          if (which && !which(action)) return;
          const what = act(tools, action, element);
          watch?.did(rule, action, what);
        }),
      );
    });
    if (tools.visit && /"(source|visitor)"/.test(tools.json(rule))) tools.visit.known(go);
    else go();
  };
  const field = (action: Action): boolean => action.kind === "field";
  for (const rule of rules.filter((one) => !one.paused))
    tools.safely(() => {
      if (rule.when.kind !== "page shown") return listen(tools, rule.when, (element) => fire(rule, element));
      // A field that a page's rule sets is already there when the page's view is told.
      tools.when("arriving", () => rule.then.some(field) && fire(rule, undefined, field));
      tools.when("viewed", () => rule.then.every(field) || fire(rule, undefined, (action) => !field(action)));
    })();
}
