import { all } from "./dom";
import type { Tools } from "./tools";

const HALF = 0.5;
const STEPS = Array.from({ length: 11 }, (_, step) => step / 20);

/**
 * Calls `run` for each element once a view, when half of it is in the window, or it fills half of the window. Elements may come later.
 * What it returns is told of an element that was used: who is quick leaves the page before the browser says what is in the window.
 */
export const seenBy =
  ({ when, safely }: Tools): NonNullable<Tools["seen"]> =>
  (selector, run) => {
    let done = new WeakSet<Element>();
    const see = (element: Element): void => {
      watcher.unobserve(element);
      if (done.has(element)) return;
      done.add(element);
      run(element);
    };
    const look = (entries: IntersectionObserverEntry[]): void =>
      entries.forEach(({ target, isIntersecting, intersectionRatio, intersectionRect }) => {
        if (isIntersecting && (intersectionRatio >= HALF || intersectionRect.height >= innerHeight * HALF)) see(target);
      });
    const watcher = new IntersectionObserver((entries) => safely(look)(entries), { threshold: STEPS });
    const find = safely(() => all(selector).forEach((element) => done.has(element) || watcher.observe(element)));
    let waiting = false;
    const later = (): void => {
      if (!waiting) setTimeout(() => ((waiting = false), find()), 200);
      waiting = true;
    };
    new MutationObserver(later).observe(document, { childList: true, subtree: true });
    when("viewed", () => {
      watcher.disconnect();
      done = new WeakSet();
      find();
    });
    return see;
  };
