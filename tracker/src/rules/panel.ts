import { on, safely } from "../safe";
import type { Tools } from "../tools";
import type { Action, Condition, Rule, Watch, When } from "./data";

const STYLE = `
:host { all: initial; }
section { position: fixed; inset: auto auto 12px 12px; width: min(400px, calc(100vw - 24px)); max-height: 55vh; overflow: auto; z-index: 2147483647;
  font: 13px/1.45 system-ui, sans-serif; color: #1c2430; background: #fbfaf7; border: 1px solid #8b93a1; border-radius: 4px; box-shadow: 0 6px 24px #0003; }
header { display: flex; gap: 10px; align-items: baseline; padding: 8px 12px; border-bottom: 1px solid #d5d8de; position: sticky; top: 0; background: inherit; }
header b { flex: 1; font-weight: 600; }
button { font: inherit; color: #1d4f91; background: none; border: 0; padding: 2px 0; cursor: pointer; text-decoration: underline; }
button:focus-visible { outline: 2px solid #1d4f91; outline-offset: 2px; }
ol { list-style: none; margin: 0; padding: 0; }
li { padding: 7px 12px; border-top: 1px solid #e6e8ec; overflow-wrap: anywhere; }
li:first-child { border-top: 0; }
li b { font-weight: 600; }
li span { float: right; margin-left: 10px; }
li[data-state="fired"] span { color: #17603a; font-weight: 600; }
li[data-state="held back"] span { color: #8a4b08; }
p { margin: 0; color: #4f5865; }
p.note { padding: 8px 12px; border-top: 1px solid #d5d8de; }
`;

function waits(when: When): string {
  switch (when.kind) {
    case "page shown":
      return "Waits for the next page.";
    case "clicked":
      return `Waits for a click on ${[when.selector, when.text && `“${when.text}”`].filter(Boolean).join(", ")}.`;
    case "form sent":
      return `Waits until ${when.selector ?? "a form"} is sent.`;
    case "in view":
      return `Waits until ${when.selector} comes into view.`;
    case "seconds passed":
      return `Waits for ${when.seconds} seconds on the page.`;
    case "scrolled":
      return `Waits until ${when.percent} % of the page was scrolled.`;
    case "signalled":
      return `Waits until the page calls uc.signal("${when.name}").`;
    default:
      return "Waits until the window is about to be left.";
  }
}

function why(condition: Condition, found: string): string {
  switch (condition.kind) {
    case "device":
      return `this device is a ${found}`;
    case "visitor":
      return `this visitor is ${found}`;
    case "share":
      return `this browser is not among the ${condition.percent} % of visitors`;
    default: {
      const what = "key" in condition ? `${condition.kind} ${condition.key}` : condition.kind;
      const asked = `${condition.test} ${condition.test.endsWith("empty") ? "" : condition.value}`.trim();
      return `the ${what} is ${found ? `“${found.slice(0, 120)}”` : "empty"}; the rule asks: ${asked}`;
    }
  }
}

function done(action: Action, what: string): string {
  if (action.kind === "html")
    return action.refused
      ? "HTML: the site’s settings do not allow it"
      : what
        ? `HTML put at ${what}`
        : `no place ${action.selector} for HTML, or it is there already`;
  if (action.kind === "field") return what ? `field ${action.key} = ${what}` : `nothing found for the field ${action.key}`;
  return `${action.kind} ${action.name}${what && what !== action.name ? ` (${what})` : ""}`;
}

/** The selectors of a rule that are no selectors, or that nothing on this page matches. */
function lost({ when }: Rule): string {
  const selector = "selector" in when ? when.selector : undefined;
  if (!selector) return "";
  try {
    return document.querySelector(selector) ? "" : ` Nothing on this page matches ${selector} yet.`;
  } catch {
    return ` This browser cannot read the selector ${selector}.`;
  }
}

/** Shows on the site itself what each rule does, and why one does nothing. All texts are set as text. */
export function panel(tools: Tools, rules: Rule[], stop: () => void): Watch {
  const host = document.createElement("div");
  const root = host.attachShadow({ mode: "open" });
  const make = <K extends keyof HTMLElementTagNameMap>(tag: K, text = "", into?: Element): HTMLElementTagNameMap[K] => {
    const element = document.createElement(tag);
    element.textContent = text;
    into?.append(element);
    return element;
  };
  safely(() => {
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(STYLE);
    root.adoptedStyleSheets = [sheet];
  })();
  const box = make("section");
  box.setAttribute("aria-label", "Rules tried on this browser");
  const head = make("header", "", box);
  make("b", "Rules tried on this browser", head);
  const fold = make("button", "Fold", head);
  const end = make("button", "Stop trying", head);
  const list = make("ol", "", box);
  const note = make("p", "Only here: nobody else gets this draft, and what it sends counts as your own traffic.", box);
  note.className = "note";
  const lines = new Map<string, { item: HTMLLIElement; state: HTMLElement; said: HTMLElement; times: number; done: Set<string> }>();
  const say = (rule: Rule, state: string, short: string, text: string): void => {
    const line = lines.get(rule.id);
    if (!line) return;
    line.item.dataset.state = state;
    line.state.textContent = short;
    line.said.textContent = text;
  };
  for (const rule of rules) {
    const item = make("li", "", list);
    const state = make("span", "", item);
    make("b", rule.name ?? rule.id, item);
    lines.set(rule.id, { item, state, said: make("p", "", item), times: 0, done: new Set() });
  }
  if (!rules.length) make("li", "The draft holds no rules.", list);
  const wait = (): void =>
    rules.forEach((rule) => {
      const line = lines.get(rule.id);
      if (line) [line.times, line.done] = [0, new Set()];
      if (rule.paused) say(rule, "rests", "paused", "It does nothing until it is resumed.");
      else say(rule, "waiting", "waiting", waits(rule.when) + lost(rule));
    });
  tools.when("arriving", wait);
  on(fold, "click", () => {
    list.hidden = note.hidden = !list.hidden;
    fold.textContent = list.hidden ? "Unfold" : "Fold";
  });
  on(end, "click", stop);
  root.append(box);
  document.documentElement.append(host);
  return {
    did: (rule, action, what) => {
      const line = lines.get(rule.id);
      if (!line) return;
      if (action === rule.then[0]) line.times++;
      line.done.add(done(action, what));
      say(rule, "fired", line.times > 1 ? `fired ${line.times} times` : "fired", Array.from(line.done).slice(-4).join("; "));
    },
    held_back: (rule, condition, found) => {
      if (lines.get(rule.id)?.times) return;
      say(rule, "held back", "held back", `It happened, but ${why(condition, found)}.`);
    },
  };
}
