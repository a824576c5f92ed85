import type { PartSettings, Part, Props } from "../tools";

// Attributes are asked for, because a field named "id" hides the form's own id.
const NAMES = ["data-uc-form", "id", "name", "aria-label", "action"];
// A form to search the site with is told as a search: by its role, around it or its own, or by the field that it holds.
const forms_of = (given: PartSettings): ((form: Element | null | undefined) => form is HTMLFormElement) => {
  const fields = ["[type=search]", ...(given.searches ?? []).map((key) => `[name="${CSS.escape(key)}"]`)].join();
  return (form): form is HTMLFormElement =>
    Boolean(form?.matches("form") && !form.closest("[role=search],search") && !form.querySelector(fields));
};

const named = (form: Element): string => {
  const name = NAMES.map((attribute) => form.getAttribute(attribute)).find(Boolean) ?? "form";
  return name.slice(0, 100);
};

const fieldOf = (element: Element): string =>
  (["data-uc-field", "name", "id", "aria-label"].map((attribute) => element.getAttribute(attribute)).find(Boolean) ?? "field").slice(
    0,
    100,
  );

/** Forms as they come into view, are begun, and are sent; each once a view, but for the last; and where one that was begun is left, if it says so. */
const forms: Part = (tools) => {
  const { on, when } = tools;
  const counts = forms_of(tools.given);
  const tell = (what: string, form: Element | null, more: Props = {}): void => {
    if (counts(form)) tools.tell(`form ${what}`, { form: named(form), ...more }, form);
  };
  let begun = new WeakSet<Element>();
  // The form that is being filled in, and in which field; only of forms that allow it. What is typed is never told.
  let left: [Element, string] | null = null;
  const begin = ({ target }: Event): void => {
    const form = (target as Element).closest?.("form");
    if (form?.hasAttribute("data-uc-fields")) left = [form, fieldOf(target as Element)];
    if (!form || begun.has(form)) return;
    begun.add(form);
    see?.(form);
    tell("start", form);
  };
  when("viewed", () => (begun = new WeakSet()));
  const see = tools.seen?.("form", (form) => tell("view", form));
  on(document, "input", begin, true);
  on(document, "change", begin, true);
  on(
    document,
    "submit",
    ({ target }) => {
      if (left?.[0] === target) left = null;
      tell("submit", target as Element);
    },
    true,
  );
  tools.leaving(() => {
    if (left) tell("leave", left[0], { field: left[1] });
    left = null;
  });
};

uc_parts.push(forms);
