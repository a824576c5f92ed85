import { engagement } from "./engagement";
import { all, doc, hidden } from "./dom";
import { adopt, bare, forget, known, owns, shares, uuid, visitor } from "./identity";
import { here, isPlace, pageOf } from "./page";
import { json } from "./json";
import { queueOf } from "./queue";
import { on, safely } from "./safe";
import { endTrial, follow, handed, own, settings, trial } from "./settings";
import type { Moment, Part, Props, Tools } from "./tools";

type Order = { id?: string; total: number; currency?: string; items?: unknown[]; shipping?: number; tax?: number; discount?: number };

const SETTLED = 333;
const PATIENCE = 2000;
const script = doc<HTMLScriptElement | null>("currentScript");
const refused = (navigator as { globalPrivacyControl?: boolean }).globalPrivacyControl === true;

interface Functions {
  event: (name: string, props?: Props, value?: number) => void;
  order: (order: Order) => void;
  goal: (name: string, value?: number) => void;
  consent: (given: boolean) => void;
  field: (name: string, value: string) => void;
  signal: (name: string) => void;
}

const nothing = () => undefined;
const put = safely((functions: Functions) => ((window as unknown as { uc: Functions }).uc = functions));

function start(key: string, source: string, from_elsewhere?: string): void {
  const keeps = settings.cookie !== false;
  const before = known();
  let stopped = false;
  const queue = queueOf(new URL("collect", source).href, key, keeps);
  const [from, as] = (script?.dataset.as ?? "").split(" ");
  let page = "";
  let counted = "";
  let referrer = "";
  let title = "";
  /** Tells the view of a page whose title the router has perhaps not set yet. */
  let pending: (() => void) | undefined;
  let fields: Record<string, string> = {};
  const waiting: Partial<Record<string, ((told: never) => void)[]>> = {};

  const call = (what: Moment, told?: unknown): void => (waiting[what] ?? []).forEach((run) => safely(run)(told as never));

  /** The address as it is to be counted: a copy of a site under another address can be told to count as the original. */
  const address = (url: string): string =>
    from && as && url.startsWith(location.origin + from) ? as + url.slice((location.origin + from).length) : url;

  /** Fields of the site's own: those that the page names in its head, and those given by `uc.field` since it was shown. */
  const carried = (): Record<string, string> => {
    const found = { ...fields };
    all<HTMLMetaElement>('meta[name^="uc-field-"]').forEach((meta) => (found[meta.name.slice(9)] ??= meta.content.slice(0, 500)));
    const given = Object.entries(found).filter(([, value]) => value);
    return Object.fromEntries(given.slice(0, 20));
  };

  const hit = (kind: string, more: Record<string, unknown>, url = page): void => {
    pending?.();
    if (stopped) return;
    queue.add({
      id: uuid(),
      at: new Date().toISOString(),
      // Who tries rules out is somebody else meanwhile, so that no visit under way takes what is tried for its own.
      visitor: (trial() ? "trial" : "") + visitor(keeps),
      kind,
      url: address(url || here()).slice(0, 4000),
      title: doc("title").slice(0, 500),
      language: navigator.language,
      timezone: safely(() => Intl.DateTimeFormat().resolvedOptions().timeZone)() ?? "",
      screen: `${screen.width}x${screen.height}`,
      user_agent: navigator.userAgent,
      fields: safely(carried)(),
      ...more,
    });
    if (kind !== "engage") call("sent");
  };

  const flush = engagement((engaged_ms) => page && hit("engage", { engaged_ms }));

  const view = (again = false): void => {
    pending?.();
    if (page) flush();
    const wait = page && !again && doc("title") === title;
    referrer = page || doc("referrer");
    page = here();
    counted = pageOf(page);
    if (!again) fields = {};
    const at = new Date().toISOString();
    const tell = (): void => {
      pending = undefined;
      title = doc("title");
      if (!stopped) call("arriving");
      hit("view", { at, referrer: address(referrer).slice(0, 4000) });
      call("viewed");
    };
    if (!wait) return tell();
    pending = tell;
    // Where the next page has the title of this one, that is not known before it had time to change.
    setTimeout(() => pending === tell && tell(), SETTLED);
  };

  /** The address may have changed: to another page, or to the same with another query or place in it. */
  const moved = (): void => {
    if (pageOf(here()) !== counted && !isPlace()) view();
    else call("moved");
  };
  let soon = 0;
  const later = (): void => {
    clearTimeout(soon);
    soon = setTimeout(safely(moved), 0) as unknown as number;
  };

  const event = (name: string, props?: Props, value?: number): void => {
    const more = {
      ...(props && Object.keys(props).length ? { props } : {}),
      ...(value != null && isFinite(value) ? { value: +value } : {}),
    };
    hit("event", { name: String(name).slice(0, 100), ...more });
  };

  const order = ({ total, currency, ...rest }: Order): void =>
    hit("order", { value: +total, order: rest, currency: currency || undefined });

  /** `data-uc-event`, with `data-uc-value` and `data-uc-prop-…`, on a link, a button or a form. */
  const marked = (element: Element | null): void => {
    const found = element?.closest<HTMLElement>("[data-uc-event]");
    if (!found) return;
    const props: Props = {};
    for (const { name, value } of Array.from(found.attributes))
      if (name.startsWith("data-uc-prop-")) props[name.slice(13)] = value.slice(0, 1000);
    const value = found.getAttribute("data-uc-value");
    event(found.getAttribute("data-uc-event") ?? "", props, value ? parseFloat(value) : undefined);
  };
  const clicked = (happened: Event): void => {
    const element = happened.target as Element | null;
    if (!element?.closest) return;
    if (element.closest("[data-uc-event]")?.tagName !== "FORM") marked(element);
    call("clicked", element);
  };
  const field = (name: string, value: string): void => {
    fields[String(name).slice(0, 100)] = value == null ? "" : String(value).slice(0, 500);
  };

  on(document, "click", clicked, true);
  on(document, "auxclick", (happened) => (happened as MouseEvent).button === 1 && clicked(happened), true);
  on(
    document,
    "submit",
    (happened) => (happened.target as Element).closest("form[data-uc-event]") === happened.target && marked(happened.target as Element),
    true,
  );
  on(window, "popstate", later);
  on(window, "hashchange", later);
  // Nothing that waits is lost with the page.
  const leaving = (run: () => unknown): void => {
    on(document, "visibilitychange", () => hidden() && run(), true);
    on(window, "pagehide", run, true);
  };
  leaving(() => {
    if (counted) moved();
    pending?.();
  });
  safely(() =>
    new MutationObserver(() => doc("title") !== title && pending?.()).observe(doc("head"), {
      childList: true,
      subtree: true,
      characterData: true,
    }),
  )();
  on(window, "pageshow", (happened) => (happened as PageTransitionEvent).persisted && view(true));
  for (const name of ["pushState", "replaceState"] as const) {
    const original = history[name];
    safely(() => {
      history[name] = function (this: History, ...given: Parameters<typeof original>) {
        original.apply(this, given);
        later();
      };
    })();
  }
  put({
    event: safely(event),
    order: safely(order),
    goal: safely((name: string, value?: number) => event(name, undefined, value)),
    field: safely(field),
    signal: (name: string) => call("signalled", String(name)),
    consent: safely((given: boolean) => {
      if (given === stopped) {
        stopped = !given;
        if (given) view(true);
        else queue.clear();
      }
      if (!given) forget(key);
    }),
  });
  const tools: Tools = {
    given: settings.parts ?? {},
    safely,
    json,
    doc,
    bare,
    owns,
    on,
    tell: (name, props, element) => element?.closest("[data-uc-event]")?.getAttribute("data-uc-event") !== name && event(name, props),
    when: (what, run) => (waiting[what] ??= []).push(run),
    // Before the queue hands over what it has.
    leaving,
    shares,
    event,
    field,
    fields: carried,
    address: () => address(page),
    referrer: () => address(referrer),
    visitor: () => visitor(keeps),
    known: before,
    keeps,
    key,
    ask: async (what, body) => {
      const url = new URL(`collect/${what}?site=${encodeURIComponent(key)}`, source);
      const answer = await fetch(url, {
        method: "POST",
        body: json(body),
        headers: { "Content-Type": "text/plain" },
        credentials: "omit",
      });
      return answer.ok ? answer.json() : undefined;
    },
  };
  const begin = safely(() => {
    const parts: Part[] = typeof uc_parts === "undefined" ? [] : uc_parts;
    parts.forEach((part) => safely(part)(tools));
    view();
  });
  const token = trial();
  const go = (): unknown => (token ? fetchTrial(token, key, source, tools, begin) : begin());
  if (token || !from_elsewhere || !keeps) return void go();
  let begun = false;
  const once = safely((told?: unknown) => {
    const { visitor: id } = (told ?? {}) as { visitor?: string };
    if (!begun && id) adopt(id);
    if (!begun) go();
    begun = true;
  });
  tools.ask("arrival", { token: from_elsewhere }).then(once, once);
  setTimeout(once, PATIENCE);
  leaving(once);
}

/** Fetches the draft of the rules for the one browser that tries it out. A trial that is over ends here. */
function fetchTrial(token: string, key: string, source: string, tools: Tools, then: () => void): void {
  const element = Document.prototype.createElement.call(document, "script") as HTMLScriptElement & { uc?: Tools };
  element.uc = tools;
  element.nonce = script?.nonce ?? "";
  element.src = new URL(`uc.js?site=${encodeURIComponent(key)}&trial=${token}`, source).href;
  element.onload = then;
  element.onerror = () => {
    endTrial();
    then();
  };
  doc<HTMLHeadElement>("head").append(element);
}

/** A page that may not be followed, or not yet, still finds the functions it calls. */
function silent(consent: (given: boolean) => void): void {
  put({ event: nothing, order: nothing, goal: nothing, field: nothing, signal: nothing, consent: safely(consent) });
}

safely(() => {
  const key = settings.key ?? script?.dataset.site;
  if (refused || !key || !script) return silent(nothing);
  // What an address turns on is taken out of it before the page, or the script, looks at it.
  [follow, own, trial].forEach((take) => take());
  const token = handed();
  const begin = safely(() => start(key, script.src, token));
  if (settings.consent && !(settings.cookie !== false && known())) return silent((given) => given && begin());
  if ((document as { prerendering?: boolean }).prerendering) on(document, "prerenderingchange", begin);
  else begin();
})();
