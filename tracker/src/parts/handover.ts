import type { Part } from "../tools";

// The server's tokens hold for two minutes; one that waits for a click is fetched anew before.
const YOUNG = 100000;

/** Hands the visitor on, by links to hosts of the site that cannot share this one's cookie. */
const handover: Part = ({ on, ask, keeps, owns, safely, shares, visitor }) => {
  if (!keeps) return;
  let token = "";
  let asked = 0;
  const outward = ({ target }: Event): HTMLAnchorElement | null | undefined => {
    const link = (target as Element).closest?.<HTMLAnchorElement>("a[href],area[href]");
    return link && /^https?:$/.test(link.protocol) && owns(link.hostname) && !shares(link.hostname) ? link : null;
  };
  const prepare = (event: Event): void => {
    if (!outward(event) || Date.now() - asked < YOUNG) return;
    asked = Date.now();
    token = "";
    ask("handover", { visitor: visitor() }).then(
      safely((told) => (token = (told as { token?: string } | undefined)?.token ?? "")),
      () => (asked = 0),
    );
  };
  const hand = (event: Event): void => {
    const link = outward(event);
    if (!link || !token || Date.now() - asked > YOUNG) return;
    const { href, hash } = link;
    link.href = `${href.split("#")[0]}#uc-from=${token}${hash && `&${hash.slice(1)}`}`;
    token = "";
    asked = 0;
    setTimeout(() => (link.href = href), 0);
  };
  for (const kind of ["pointerover", "focusin"]) on(document, kind, prepare, true);
  for (const kind of ["click", "auxclick"]) on(document, kind, hand, true);
};

uc_parts.push(handover);
