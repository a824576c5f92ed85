import type { Part } from "../tools";

const MARK = "data-uc-promo";

/** Elements marked as promotions, when they come into view and when they are clicked. */
const promos: Part = (tools) => {
  const tell = (what: string, element: Element | null): void => {
    const promo = element?.getAttribute(MARK)?.slice(0, 100);
    if (element && promo) tools.tell(`promo ${what}`, { promo }, element);
  };
  tools.when("clicked", (element) => tell("click", element.closest(`[${MARK}]`)));
  tools.seen?.(`[${MARK}]`, (element) => tell("view", element));
};

uc_parts.push(promos);
