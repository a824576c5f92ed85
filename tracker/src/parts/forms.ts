import { seen } from "../seen";
import type { Part } from "../tools";

// Attributes are asked for, because a field named "id" hides the form's own id.
const NAMES = ["data-uc-form", "id", "name", "aria-label", "action"];
const FORM = "form:not([role=search])";

const named = (form: Element): string => {
  const name = NAMES.map((attribute) => form.getAttribute(attribute)).find(Boolean) ?? "form";
  return name.slice(0, 100);
};

/** Forms as they come into view, are begun, and are sent; each once a view, but for the last. */
const forms: Part = (tools) => {
  const { on, tell, viewed } = tools;
  let begun = new WeakSet<Element>();
  const begin = ({ target }: Event): void => {
    const form = (target as Element).closest?.(FORM);
    if (!form || begun.has(form)) return;
    begun.add(form);
    tell("form start", { form: named(form) }, form);
  };
  viewed(() => (begun = new WeakSet()));
  seen(tools, FORM, (form) => tell("form view", { form: named(form) }, form));
  on(document, "input", begin, true);
  on(document, "change", begin, true);
  on(
    document,
    "submit",
    ({ target }) => (target as Element).matches(FORM) && tell("form submit", { form: named(target as Element) }, target as Element),
    true,
  );
};

uc_parts.push(forms);
