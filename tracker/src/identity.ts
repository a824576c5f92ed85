import { safely } from "./safe";

const COOKIE = "uc_visitor";
const DAYS_400 = 34560000;

function bytes(count: number): Uint8Array {
  return crypto.getRandomValues(new Uint8Array(count));
}

/** A version 4 UUID; `randomUUID` is missing where the page is not served securely. */
export function uuid(): string {
  const raw = bytes(16);
  raw[6] = ((raw[6] ?? 0) & 15) | 64;
  raw[8] = ((raw[8] ?? 0) & 63) | 128;
  const hex = Array.from(raw, (byte) => (byte + 256).toString(16).slice(1)).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})/, "$1-$2-$3-$4-");
}

const read = safely(() => document.cookie.match(/(?:^|; )uc_visitor=(\w{8,64})/)?.[1]);

const held = safely((fresh: string) => {
  const known = sessionStorage.getItem(COOKIE) ?? fresh;
  sessionStorage.setItem(COOKIE, known);
  return known;
});

let here: string | undefined;

/** Whether the cookie is there: somebody was here before and let it be kept. */
export const known = (): boolean => Boolean(read());

/** Where what is known of the visit under way is kept. */
export const visitKey = (site: string): string => `uc_visit_${site}`;

/** Take the cookie back, and what is known of the visit. */
export function forget(site: string): void {
  here = undefined;
  safely(() => (document.cookie = `${COOKIE}=;path=/;max-age=0`))();
  safely(() => sessionStorage.removeItem(COOKIE))();
  safely(() => localStorage.removeItem(visitKey(site)))();
}

/** A pseudonym for this browser, in one first-party cookie; where cookies are refused, for this tab, else for this page. */
export function visitor(keep: boolean): string {
  if (!keep) return (here = here ?? uuid().replace(/-/g, ""));
  const known = read();
  const id = known ?? here ?? uuid().replace(/-/g, "");
  const secure = location.protocol === "https:" ? ";Secure" : "";
  safely(() => (document.cookie = `${COOKIE}=${id};path=/;max-age=${DAYS_400};SameSite=Lax${secure}`))();
  here = known ?? (read() === id ? id : (held(id) ?? id));
  return here;
}
