import { hidden } from "./dom";
import { on } from "./safe";

const LEAST = 500;
const EVERY = 60000;

/** Counts the time that the page is visible, and tells it in parts: when the page is hidden, and every minute. The function tells what has come together. */
export function engagement(tell: (milliseconds: number) => void): () => void {
  let since: number | undefined;
  let total = 0;
  const count = (): void => {
    const now = performance.now();
    if (since !== undefined) total += now - since;
    since = hidden() ? undefined : now;
  };
  const flush = (): void => {
    count();
    const spent = Math.round(total);
    if (spent < LEAST) return;
    total = 0;
    tell(Math.min(spent, 86400000));
  };
  count();
  on(document, "visibilitychange", () => (hidden() ? flush() : count()), true);
  on(window, "pagehide", flush, true);
  setInterval(flush, EVERY);
  return flush;
}
