import type { PartSettings, Part, Props } from "../tools";

// Attributes are asked for, because a field named "id" hides the form's own id.
const NAMES = ["data-uc-form", "id", "name", "aria-label", "action"];
// A form to search the site with is told as a search: by its role, around it or its own, or by the field that it holds.
const forms_of = (given: PartSettings): ((form: Element | null | undefined) => form is HTMLFormElement) => {
  const fields = ["[type=search]", ...(given.searches ?? []).map((key) => `[name="${CSS.escape(key)}"]`)].join();
  return (form): form is HTMLFormElement =>
    Boolean(form?.matches("form") && !form.closest("[role=search],search") && !form.querySelector(fields));
};

const named = (form: Element): string => NAMES.map((attribute) => form.getAttribute(attribute)).find(Boolean) ?? "form";

/** Forms as they come into view, are begun, and are sent; each once a view, but for the last; and where one that was begun is left, if it says so. */
const forms: Part = (tools) => {
  const { on, when } = tools;
  const counts = forms_of(tools.given);
  // How the form that is being filled in is told when it is left; only of forms that allow it, and never what is typed.
  let left: (() => void) | 0 = 0;
  const tell = (what: string, form: Element | null, field?: string): void => {
    left = 0;
    // A field that is not said is none in JSON.
    if (counts(form)) tools.tell(`form ${what}`, { form: named(form), field } as Props, form);
  };
  let begun = new WeakSet<Element>();
  const begin = ({ target }: Event): void => {
    const form = (target as Element).closest?.("form");
    if (form && !begun.has(form)) {
      begun.add(form);
      see?.(form);
      tell("start", form);
    }
    if (form?.closest("[data-uc-fields]")) left = () => tell("leave", form, (target as HTMLInputElement).name);
  };
  when("viewed", () => (begun = new WeakSet()));
  const see = tools.seen?.("form", (form) => tell("view", form));
  on(document, "input", begin, true);
  on(document, "change", begin, true);
  on(document, "submit", ({ target }) => tell("submit", target as Element), true);
  tools.leaving(() => left && left());
};

uc_parts.push(forms);
