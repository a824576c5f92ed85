import { ask, client, type Schemas, type Site } from "@/api/client";

/** Where links of the site begin: at its first host, or for a sample site that this server shows itself, under its key. */
export const usualAddress = (site: Site): string =>
  site.rules.hosts.includes(location.hostname) ? `${location.origin}/${site.key}/` : `https://${site.rules.hosts[0]}/`;

/** Opens a page of the site in another tab whose visit can be told from all others; the token to look for it with, which the site issues.
 *
 * A link that is checked brings own traffic. */
export async function openAndFollow(site: Site, address: string, check = false): Promise<Schemas["TokenOut"]> {
  const issued = await ask(client.POST("/api/v1/sites/{site}/followed", { params: { path: { site: site.key }, query: { check } } }));
  window.open(`${address.split("#")[0]}#uc-follow=${issued.token}`, "_blank", "noopener");
  return issued;
}
