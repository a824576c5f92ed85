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
      if (done.has(element)) return;
      done.add(element);
      run(element);
    };
    const look = (entries: IntersectionObserverEntry[]): void =>
      entries.forEach(({ target, isIntersecting, intersectionRatio, intersectionRect }) => {
        if (isIntersecting && (intersectionRatio >= HALF || intersectionRect.height >= innerHeight * HALF)) see(target);
      });
    const watcher = new IntersectionObserver(safely(look), { threshold: STEPS });
    let waiting = 0;
    const find = safely(() => {
      waiting = 0;
      all(selector).forEach((element) => watcher.observe(element));
    });
    const later = (): void => {
      waiting ||= setTimeout(find, 200) as unknown as number;
    };
    new MutationObserver(later).observe(document, { childList: true, subtree: true });
    when("viewed", () => {
      watcher.disconnect();
      done = new WeakSet();
      find();
    });
    return see;
  };
