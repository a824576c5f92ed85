import { Field, Input } from "@/ui/Field";
import { typedCount } from "@/forms/numbers";
import { Select } from "@/ui/Select";
import { unreadable, type When } from "@/words/rules";

const KINDS: [When["kind"], string][] = [
  ["clicked", "an element is clicked"],
  ["page shown", "a page is shown"],
  ["form sent", "a form is sent"],
  ["in view", "an element comes into view"],
  ["seconds passed", "seconds have passed"],
  ["scrolled", "the page was scrolled this far"],
  ["leaving", "the window is about to be left"],
  ["signalled", "the page itself calls"],
];

function fresh(kind: When["kind"]): When {
  switch (kind) {
    case "clicked":
      return { kind, selector: null, text: null };
    case "form sent":
      return { kind, selector: null };
    case "in view":
      return { kind, selector: "" };
    case "seconds passed":
      return { kind, seconds: 30 };
    case "scrolled":
      return { kind, percent: 75 };
    case "signalled":
      return { kind, name: "" };
    default:
      return { kind };
  }
}

interface WhenFieldsProps {
  when: When;
  error: string | undefined;
  set: (when: When) => void;
}

/** When a rule begins. */
export function WhenFields({ when, error, set }: WhenFieldsProps) {
  const selector = (label: string, hint: string, value: string | null | undefined, to: (text: string) => When) => {
    const bad = value && unreadable(value) ? "This is no selector that a browser can read." : error;
    return (
      <Field label={label} hint={hint} error={bad}>
        {(control) => (
          <Input
            {...control}
            className="w-full font-mono"
            value={value ?? ""}
            onChange={(event) => set(to(event.target.value))}
            spellCheck={false}
          />
        )}
      </Field>
    );
  };
  const count = (label: string, hint: string, value: number, to: (given: number) => When) => (
    <Field label={label} hint={hint} error={error}>
      {(control) => <Input {...control} inputMode="numeric" value={value} onChange={(event) => set(to(typedCount(event.target.value)))} />}
    </Field>
  );
  return (
    <>
      <Field label="When">
        {(control) => (
          <Select
            {...control}
            value={when.kind}
            onChange={(to) => set(fresh(to))}
            options={KINDS.map(([kind, name]) => ({ value: kind, label: name }))}
          />
        )}
      </Field>
      {when.kind === "clicked" && (
        <div className="grid grid-cols-2 items-start gap-x-3 gap-y-2">
          {selector("Its selector", "such as .buy or #order button", when.selector, (text) => ({ ...when, selector: text || null }))}
          <Field label="Its text" hint="the whole of it; one of the two is enough">
            {(control) => (
              <Input {...control} value={when.text ?? ""} onChange={(event) => set({ ...when, text: event.target.value || null })} />
            )}
          </Field>
        </div>
      )}
      {when.kind === "form sent" &&
        selector("Its selector", "empty means any form", when.selector, (text) => ({ ...when, selector: text || null }))}
      {when.kind === "in view" &&
        selector("Its selector", "half of it, once a page", when.selector, (text) => ({ ...when, selector: text }))}
      {when.kind === "seconds passed" &&
        count("How many seconds", "in which the page is visible", when.seconds, (seconds) => ({ ...when, seconds }))}
      {when.kind === "scrolled" &&
        count("How far, in percent", "of the page’s height, once a page", when.percent, (percent) => ({ ...when, percent }))}
      {when.kind === "signalled" && (
        <Field label="The name that it calls" hint={`uc.signal("${when.name || "quiz done"}") in a script of the page`} error={error}>
          {(control) => <Input {...control} value={when.name} onChange={(event) => set({ ...when, name: event.target.value })} />}
        </Field>
      )}
      {when.kind === "leaving" && <p className="text-ink-2">The pointer goes out at the top, or the page is hidden; once a page.</p>}
    </>
  );
}
