import type { Tools } from "../tools";
import type { When } from "./data";
import { words } from "./values";

type Happened = (element?: Element) => void;

/** The nearest element around a clicked one that is meant. */
function meant(clicked: Element, { selector, text }: { selector?: string; text?: string }): Element | undefined {
  for (let at: Element | null = clicked; at; at = at.parentElement)
    if ((!selector || at.matches(selector)) && (!text || words(at) === text)) return at;
}

/** Calls `run` at most once a page. */
function once({ when }: Tools, run: Happened): Happened {
  let done = false;
  when("viewed", () => (done = false));
  return (element) => {
    if (!done) {
      done = true;
      run(element);
    }
  };
}

/** Calls `run` when it happens; a page that is shown is told by the engine. */
export function listen(tools: Tools, when: When, run: Happened): void {
  const { on } = tools;
  switch (when.kind) {
    case "clicked":
      tools.when("clicked", (element) => {
        const found = meant(element, when);
        if (found) run(found);
      });
      return;
    case "form sent":
      return on(document, "submit", ({ target }) => (target as Element).matches(when.selector ?? "form") && run(target as Element), true);
    case "in view":
      tools.seen?.(when.selector, once(tools, run));
      return;
    case "scrolled": {
      const reached = once(tools, run);
      return on(
        document,
        "scroll",
        () => ((scrollY + innerHeight) / document.documentElement.scrollHeight) * 100 >= when.percent && reached(),
        true,
      );
    }
    case "leaving": {
      const left = once(tools, run);
      tools.leaving(() => left());
      return on(
        document,
        "mouseout",
        (event) => !(event as MouseEvent).relatedTarget && (event as MouseEvent).clientY <= 0 && left(),
        true,
      );
    }
    case "signalled":
      tools.when("signalled", (name) => name === when.name && run());
      return;
    case "seconds passed": {
      let passed = 0;
      const enough = once(tools, run);
      tools.when("viewed", () => (passed = 0));
      setInterval(() => document.visibilityState === "visible" && ++passed >= when.seconds && enough(), 1000);
    }
  }
}
