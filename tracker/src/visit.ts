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
  const { safely, json } = tools;
  const name = `uc_visit_${tools.key}`;
  let here: Held | undefined;
  let asking: Promise<unknown> = Promise.resolve();
  let open = 0;
  let waiting: (() => void)[] = [];
  const stored = safely((): Held | undefined => (tools.keeps ? (JSON.parse(localStorage.getItem(name) ?? "null") as Held) : undefined));
  const read = (): Held | undefined => stored() ?? here;
  const keep = (held: Held): void => {
    here = held;
    if (tools.keeps) safely(() => localStorage.setItem(name, json(held)))();
  };
  const ask = async (view: View) => (await tools.ask("source", view)) as (Origin & { evidence?: unknown }) | undefined;
  const look = async (view: View): Promise<void> => {
    const { first } = here ?? {};
    const meant = first && (await ask(first));
    if (meant && here) keep({ ...here, source: meant, first: undefined });
    const hint = view.url.includes("?") || (view.referrer && new URL(view.referrer).host !== new URL(view.url).host);
    if (!hint || first?.url === view.url) return;
    const told = await ask(view);
    if (told?.evidence && !same(told, here?.source)) keep({ last: Date.now(), fresh: false, source: told });
  };
  const answered = (): void => {
    const now = waiting;
    waiting = [];
    now.forEach((run) => run());
  };
  /** A hit: another one of the visit under way, or the first of another, which this view stands for. */
  const happened = (view: View, shown: boolean): void => {
    const held = read();
    const over = !held || Date.now() - held.last > gap * MINUTE;
    keep(over ? { last: Date.now(), fresh: !held && !tools.known, first: view } : { ...held, last: Date.now() });
    if (!over && !shown) return;
    open++;
    asking = asking
      .then(() => look(view))
      .catch(() => undefined)
      .then(() => --open || answered());
  };
  tools.when("arriving", () => happened({ url: tools.address(), referrer: tools.referrer() }, true));
  // A visit that does not begin with a view is direct, whatever the page's address says.
  tools.when("sent", () => happened({ url: `${new URL(tools.address()).origin}/`, referrer: "" }, false));
  // What waits for an answer is rather done without it than lost with the page.
  tools.leaving(answered);
  return {
    known: (run) => (open ? waiting.push(run) : run()),
    fresh: () => here?.fresh ?? true,
    source: () => here?.source,
  };
}
