import type { Site } from "@/api/client";

/** Where a page of the site is: its first host, or for a sample site that this server shows itself, under its key. */
export const usualAddress = (site: Site): string =>
  site.rules.hosts.includes(location.hostname) ? `${location.origin}/${site.key}/` : `https://${site.rules.hosts[0]}/`;

/** Opens a page of the site in another tab whose visit can be told from all others; the token to look for it with. */
export function openAndFollow(address: string): string {
  const token = Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");
  window.open(`${address.split("#")[0]}#uc-follow=${token}`, "_blank", "noopener");
  return token;
}
