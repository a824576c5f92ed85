import type { Part } from "../tools";

const MARK = "data-uc-promo";

/** Elements marked as promotions, when they come into view and when they are clicked. */
const promos: Part = (tools) => {
  const tell = (what: string, element: Element): void => {
    const promo = element.getAttribute(MARK);
    if (promo) tools.tell(`promo ${what}`, { promo }, element);
  };
  const see = tools.seen?.(`[${MARK}]`, (element) => tell("view", element));
  tools.when("clicked", (clicked) => {
    const element = clicked.closest(`[${MARK}]`);
    if (!element) return;
    see?.(element);
    tell("click", element);
  });
};

uc_parts.push(promos);
