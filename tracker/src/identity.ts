import { doc, setCookie } from "./dom";
import { safely } from "./safe";
import { settings } from "./settings";

const COOKIE = "uc_visitor";
const DAYS_400 = 34560000;

/** A version 4 UUID; `randomUUID` is missing where the page is not served securely. */
export function uuid(): string {
  return "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (digit) =>
    (+digit ^ ((crypto.getRandomValues(new Uint8Array(1))[0] ?? 0) & (15 >> (+digit / 4)))).toString(16),
  );
}

// A cookie for several hosts bears a mark, for an older one of this host alone may stand beside it for a while.
const read = safely((mark: string) => doc("cookie").match(`(?:^|; )${COOKIE}=(\\w{8,64})${mark}`)?.[1]);
const wide = () => read("\\.w");

const write = safely((value: string, age: number, domain?: string) =>
  setCookie(
    `${COOKIE}=${value};path=/;max-age=${age};SameSite=Lax` +
      (domain ? `;domain=${domain}` : "") +
      (location.protocol === "https:" ? ";Secure" : ""),
  ),
);

const held = safely((fresh: string) => {
  const known = sessionStorage.getItem(COOKIE) ?? fresh;
  sessionStorage.setItem(COOKIE, known);
  return known;
});

let here: string | undefined;
let domain: string | undefined;

/** Whether the cookie is there: somebody was here before and let it be kept. */
export const known = (): boolean => Boolean(wide() ?? read(""));

export const bare = (host: string): string => host.toLowerCase().replace(/^www\./, "");

const below = (host: string, above: string): boolean => host === above || host.endsWith(`.${above}`);

/** Domains for the cookie that hold this host: no wider than hosts of the site need, the widest first. */
const domains = (): string[] => (settings.domains ?? []).filter((one) => below(location.hostname, one));

/** Whether a host is one of the site's. */
export const owns = (host: string): boolean => (settings.hosts ?? []).concat(location.hostname).some((own) => bare(own) === bare(host));

/** Whether this host and another one share the cookie. */
export const shares = (host: string): boolean => below(host, domain ?? location.hostname);

/** Take the cookie back, and what is known of the visit. */
export function forget(site: string): void {
  here = undefined;
  [undefined, ...domains()].forEach((one) => write("", 0, one));
  safely(() => sessionStorage.removeItem(COOKIE))();
  safely(() => localStorage.removeItem(`uc_visit_${site}`))();
}

/** Be the visitor that another host of the site handed on. */
export function adopt(id: string): void {
  forget("");
  here = id;
}

/** A pseudonym for this browser, in one first-party cookie for all hosts of the site that can share it; where cookies are refused, for this tab, else for this page. */
export function visitor(keep: boolean): string {
  if (!keep) return (here ??= uuid().replace(/-/g, ""));
  const known = wide() ?? read("");
  const id = known ?? here ?? uuid().replace(/-/g, "");
  if (!domain) write("", 0);
  for (domain of domain ? [domain] : domains()) {
    write(`${id}.w`, DAYS_400, domain);
    if (wide() === id) return (here = id);
  }
  domain = undefined;
  write(id, DAYS_400);
  here = known ?? (read("") === id ? id : (held(id) ?? id));
  return here;
}
