import { visitKey } from "./identity";
import { safely } from "./safe";
import type { Origin, Tools, Visit } from "./tools";

interface View {
  url: string;
  referrer: string;
}

interface Held {
  last: number;
  fresh: boolean;
  source?: Origin | undefined;
  /** The visit's first view, while it is not known what it means: the page may be left before the answer comes. */
  first?: View | undefined;
}

const MINUTE = 60000;
const same = (one?: Origin, other?: Origin): boolean =>
  ["source", "medium", "campaign"].every((field) => (one?.[field] ?? "") === (other?.[field] ?? ""));

/**
 * Knows of the visit under way whether it is the visitor's first and where it came from. What an address and a referrer mean is asked from the
 * server, which knows the site's aliases and channels. Kept in the browser's storage, where that is allowed; else it holds for the page.
 */
export function visitOf(tools: Tools, gap: number): Visit {
  const name = visitKey(tools.key);
  let here: Held | undefined;
  let ready: Promise<unknown> = Promise.resolve();
  const read = safely((): Held | undefined => (tools.keeps ? (JSON.parse(localStorage.getItem(name) ?? "null") ?? here) : here));
  const keep = (held: Held): void => {
    here = held;
    if (tools.keeps) safely(() => localStorage.setItem(name, JSON.stringify(held)))();
  };
  const ask = async (view: View) => (await tools.ask("source", view)) as (Origin & { evidence?: unknown }) | undefined;
  const look = async (view: View): Promise<void> => {
    const { first } = here ?? {};
    const meant = first && (await ask(first));
    if (meant && here) keep({ ...here, source: meant, first: undefined });
    const hint = view.url.includes("?") || (view.referrer && new URL(view.referrer).host !== new URL(view.url).host);
    if (!hint || (first && first.url === view.url)) return;
    const told = await ask(view);
    if (told?.evidence && !same(told, here?.source)) keep({ last: Date.now(), fresh: false, source: told });
  };
  tools.arriving(() => {
    const view = { url: tools.address(), referrer: tools.referrer() };
    const held = read() ?? here;
    const over = !held || Date.now() - held.last > gap * MINUTE;
    keep(over ? { last: Date.now(), fresh: !held && !tools.known, first: view } : { ...held, last: Date.now() });
    ready = ready.then(() => look(view)).catch(() => undefined);
  });
  tools.sent(() => here && keep({ ...here, last: Date.now() }));
  return { known: (run) => void ready.then(run), fresh: () => here?.fresh ?? true, source: () => here?.source };
}
