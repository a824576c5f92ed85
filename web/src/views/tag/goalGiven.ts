import type { Goal, Schemas } from "@/api/client";
import type { Condition } from "@/views/tag/Conditions";

/** A goal as it is being written. */
export interface GoalGiven {
  kind: "page" | "event" | "order";
  test: Schemas["PageMatch"]["test"];
  pattern: string;
  event: string;
  props: Condition[];
  where: Condition[];
  counts: Goal["counts"];
  worth: "none" | "fixed" | "hit" | "order";
  amount: string;
}

export const NUMBER_TESTS = ["=", "≠", "<", "≤", ">", "≥"];

export function asForm(goal: Goal | null): GoalGiven {
  const match = goal?.match;
  return {
    kind: match?.kind ?? "page",
    test: match?.kind === "page" ? match.test : "is",
    pattern: match?.kind === "page" ? match.pattern : "",
    event: match?.kind === "event" ? match.name : "",
    props: match?.kind === "event" ? match.props.map((one) => ({ name: one.key, test: one.test, value: String(one.value) })) : [],
    where: goal?.where.map((one) => ({ name: one.field, test: one.test, value: one.value })) ?? [],
    counts: goal?.counts ?? "once a visit",
    worth: goal?.value.kind ?? "none",
    amount: goal?.value.kind === "fixed" ? String(goal.value.amount) : "",
  };
}

/** A number as it was typed; what is none is sent as it stands, so that it is refused beside its field. */
const number = (text: string): number => (text.trim() !== "" && !isNaN(Number(text)) ? Number(text) : (text as unknown as number));

export function asGoal(form: GoalGiven): Goal {
  const match = (): Goal["match"] => {
    if (form.kind === "page") return { kind: "page", test: form.test, pattern: form.pattern };
    if (form.kind === "order") return { kind: "order" };
    const props = form.props.map(({ name, test, value }) => ({
      key: name,
      test: test as Schemas["PropTest"]["test"],
      value: NUMBER_TESTS.includes(test) ? number(value) : value,
    }));
    return { kind: "event", name: form.event, props };
  };
  const where = form.where.map(({ name, test, value }) => ({ field: name, test: test as Schemas["FieldTest"]["test"], value }));
  const value: Goal["value"] =
    form.worth === "fixed"
      ? { kind: "fixed", amount: number(form.amount) }
      : form.worth === "none"
        ? { kind: "none" }
        : { kind: form.worth };
  return { match: match(), where, counts: form.counts, value };
}
