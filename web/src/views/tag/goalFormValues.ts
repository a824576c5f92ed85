import type { Goal, Schemas } from "@/api/client";
import { typedNumber } from "@/forms/numbers";
import { fieldsOf, propsOf, writtenFields, writtenProps, type Written } from "@/views/shared/writtenConditions";

/** A goal as it is being written. */
export interface GoalFormValues {
  kind: "page" | "event" | "order";
  test: Schemas["PageTest"]["test"];
  pattern: string;
  event: string;
  props: Written[];
  where: Written[];
  counts: Goal["counts"];
  worth: "none" | "fixed" | "hit" | "order";
  amount: string;
  /** How its total, or its value, must be; nothing asks nothing. */
  totalTest: "" | Schemas["ValueTest"]["test"];
  total: string;
  /** What the form has no fields for is kept as it was. */
  kept: Goal["match"] | null;
}

export function asForm(goal: Goal | null): GoalFormValues {
  const match = goal?.match;
  return {
    kind: match ? (match.kind === "view" ? "page" : match.kind) : "page",
    test: match?.page?.test ?? "is",
    pattern: match?.page?.value ?? "",
    event: match?.names[0] ?? "",
    props: writtenProps(match?.props ?? []),
    where: writtenFields(match?.fields ?? []),
    kept: match ?? null,
    counts: goal?.counts ?? "once a visit",
    worth: goal?.value.kind ?? "none",
    totalTest: match?.value?.test ?? "",
    total: match?.value ? String(match.value.than) : "",
    amount: goal?.value.kind === "fixed" ? String(goal.value.amount) : "",
  };
}

/** The path of an address that was pasted whole; any other text as it is. */
export function pathOf(text: string): string {
  const whole = text.trim();
  return /^https?:\/\//i.test(whole) && URL.canParse(whole) ? new URL(whole).pathname.replace(/(.)\/+$/, "$1") : text;
}

export function asGoal(form: GoalFormValues): Goal {
  const match = (): Goal["match"] => {
    const fields = fieldsOf(form.where);
    const value = form.totalTest ? { test: form.totalTest, than: typedNumber(form.total) } : null;
    const plain = { names: [], name_test: "is" as const, page: null, props: [], fields, value: null };
    const kept = form.kept?.kind === form.kind ? form.kept : plain;
    if (form.kind === "page") return { ...plain, kind: "view", page: { test: form.test, value: pathOf(form.pattern) } };
    if (form.kind === "order") return { ...plain, ...kept, fields, value, kind: "order" };
    const props = propsOf(form.props);
    return { ...plain, ...kept, fields, kind: "event", names: form.event ? [form.event, ...kept.names.slice(1)] : [], props };
  };
  const value: Goal["value"] =
    form.worth === "fixed"
      ? { kind: "fixed", amount: typedNumber(form.amount) }
      : form.worth === "none"
        ? { kind: "none" }
        : { kind: form.worth };
  return { match: match(), counts: form.counts, value };
}
