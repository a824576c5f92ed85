/** The line that goes into the head of every page of a site. */
export const siteCode = (origin: string, key: string): string => `<script defer src="${origin}/uc.js?site=${key}"></script>`;

const ENTITIES: Record<string, string> = { "&": "&amp;", '"': "&quot;", "<": "&lt;", ">": "&gt;" };
const attribute = (text: string): string => text.replace(/[&"<>]/g, (sign) => ENTITIES[sign] ?? sign);
/** A text inside a script on a page, which must not end it. */
const literal = (text: string): string => JSON.stringify(text).replaceAll("<", "\\u003c");

export type Need = "click" | "form" | "load" | "value" | "call" | "order";

interface Snippet {
  title: string;
  code: (name: string) => string;
  meaning: string;
  /** What to do on the page, so that it is sent. */
  act: string;
}

/** Code for the usual needs. */
export const NEEDS: Record<Need, Snippet> = {
  click: {
    title: "A click on a link or a button",
    code: (name) => `<a href="/brochure" data-uc-event="${attribute(name)}">The brochure</a>`,
    meaning: "Put the attribute on the link or button; on anything around it works too.",
    act: "click it",
  },
  form: {
    title: "A form that is sent",
    code: (name) => `<form action="/sent" data-uc-event="${attribute(name)}">`,
    meaning: "Counted when the form is sent, not when it is clicked into. What was typed is not told.",
    act: "send the form",
  },
  load: {
    title: "A page that loads",
    code: (name) => `<script type="module">\n  uc.event(${literal(name)});\n</script>`,
    meaning: "Put it on that page alone, behind the site code. Often a goal on the page itself is enough, without any code.",
    act: "wait for the page",
  },
  value: {
    title: "A click with a value and details",
    code: (name) => `<button data-uc-event="${attribute(name)}"\n  data-uc-value="95" data-uc-prop-course="rye">Book</button>`,
    meaning: "The value is in the site’s currency. Details are searchable, and goals can ask for them.",
    act: "click it",
  },
  call: {
    title: "Something that a script of the page knows",
    code: (name) => `uc.event(${literal(name)}, { course: "rye", places: 2 }, 190);`,
    meaning: "Call it wherever it happens: the name, details, a value. It never throws.",
    act: "do what calls it",
  },
  order: {
    title: "An order",
    code: () =>
      `uc.order({ id: "A-1042", total: 24.90, currency: "EUR",\n  items: [{ sku: "rye", name: "Rye flour", quantity: 2, price: 10 }],\n  shipping: 4.90 });`,
    meaning: "Call it on the page that says thank you. The same id again counts once.",
    act: "finish an order",
  },
};

/** How a page tells the value of a site field. */
export const fieldCode = (key: string): string => `<meta name="uc-field-${key}" content="…">\n\nuc.field("${key}", "…");`;
