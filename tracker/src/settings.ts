import { safely } from "./safe";
import type { PartSettings } from "./tools";

/** What the server writes around the script when it is asked for with a site's key; a script without is read from its own tag. */
export interface Settings {
  key?: string;
  /** Whether the visitor id may be kept in a cookie, and hits that wait in the browser's storage. */
  cookie?: boolean;
  /** Whether the page must say `uc.consent(true)` before anything is kept or sent. */
  consent?: boolean;
  /** The site's hosts, and the domains under which several of them can share a cookie. */
  hosts?: string[];
  domains?: string[];
  /** Query keys that make a page; whether every change of the query is a view; whether pages stand behind `#`. */
  kept?: string[];
  every?: boolean;
  hash?: boolean;
  /** What the parts are given. */
  parts?: PartSettings;
}

declare const uc_settings: Settings | undefined;

export const settings: Settings = typeof uc_settings === "undefined" ? {} : uc_settings;

/** Takes `#uc-name=value` out of the address, so that the page never sees it; what stood there before it stands behind `&`. */
function fromFragment(name: string): string | undefined {
  const found = location.hash.match(new RegExp(`^#uc-${name}=([\\w.~-]{1,160})(?:&(.*))?$`));
  if (found) history.replaceState(history.state, "", location.href.split("#")[0] + (found[2] ? `#${found[2]}` : ""));
  return found?.[1];
}

/** Kept for this tab: the token of a link that somebody checks. */
export const follow = safely(() => {
  const given = fromFragment("follow");
  if (given) sessionStorage.setItem("uc_follow", given);
  return given ?? sessionStorage.getItem("uc_follow");
});

/** The token with which another host of the site hands the visitor on; it holds once. */
export const handed = safely(() => fromFragment("from"));

/** Kept for this browser: the token with which it tries out a draft of the site's rules. The tab is followed by it, too. */
export const trial = safely(() => {
  const given = fromFragment("trial");
  if (given) {
    localStorage.setItem("uc_trial", given);
    sessionStorage.setItem("uc_follow", given);
  }
  return given ?? localStorage.getItem("uc_trial");
});

export const endTrial = safely(() => localStorage.removeItem("uc_trial"));

/** Kept for this browser: the token by which it is one of the site's own people's. The server knows whether it is one, and when it ends. */
export const own = safely(() => {
  const given = fromFragment("own");
  if (given === "off") localStorage.removeItem("uc_own");
  else if (given) localStorage.setItem("uc_own", given);
  return localStorage.getItem("uc_own");
});
