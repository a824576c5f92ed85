import { safely } from "./safe";
import type { Origin, Tools, Visit } from "./tools";

interface Held {
  last: number;
  fresh: boolean;
  source: Origin | undefined;
}

const MINUTE = 60000;
const same = (one?: Origin, other?: Origin): boolean =>
  ["source", "medium", "campaign"].every((field) => (one?.[field] ?? "") === (other?.[field] ?? ""));

/**
 * Knows of the visit under way whether it is the visitor's first and where it came from. What an address and a referrer mean is asked from the
 * server, which knows the site's aliases and channels. Kept in the browser's storage, where that is allowed; else it holds for the page.
 */
export function visitOf(tools: Tools, gap: number): Visit {
  const name = `uc_visit_${tools.key}`;
  let here: Held | undefined;
  let ready: Promise<unknown> = Promise.resolve();
  const read = safely((): Held | undefined => (tools.keeps ? (JSON.parse(localStorage.getItem(name) ?? "null") ?? here) : here));
  const keep = (held: Held): void => {
    here = held;
    if (tools.keeps) safely(() => localStorage.setItem(name, JSON.stringify(held)))();
  };
  const look = async (url: string, referrer: string): Promise<void> => {
    const held = read() ?? here;
    const over = !held || Date.now() - held.last > gap * MINUTE;
    const hint = url.includes("?") || (referrer && new URL(referrer).host !== new URL(url).host);
    const told =
      over || hint ? ((await tools.ask("source", { url, referrer })) as (Origin & { evidence?: unknown }) | undefined) : undefined;
    const begins = over || (told?.evidence && !same(told, held.source));
    keep({ last: Date.now(), fresh: begins ? !held && !tools.known : held.fresh, source: begins ? told : held.source });
  };
  tools.arriving(() => {
    const [url, referrer] = [tools.address(), tools.referrer()];
    ready = ready.then(() => look(url, referrer)).catch(() => undefined);
  });
  tools.sent(() => here && keep({ ...here, last: Date.now() }));
  return { known: (run) => void ready.then(run), fresh: () => here?.fresh ?? true, source: () => here?.source };
}
