import type { Schemas } from "@/api/client";
import { stepName } from "@/words/funnels";
import { goalWords, worthWords } from "@/words/goals";
import { segmentWords, type SegmentNaming } from "@/words/segments";

/** Kinds of things that are changed, as they are called on screen. */
const THINGS: Record<string, string> = {
  site: "Settings",
  rules: "Rules",
  finding: "Tag health",
  vocabulary: "Words of links",
  "log reading": "Reading of logs",
  person: "Person",
  account: "Name",
  "sign-in": "Another way to sign in",
};
export const thingWords = (thing: string): string => THINGS[thing] ?? thing.charAt(0).toUpperCase() + thing.slice(1);

/** A field of a change, in words: `tagging.scroll_depth` is `tagging, scroll depth`. */
export const fieldWords = (field: string): string =>
  field
    .replace(/^definition\.(funnel\.)?/, "")
    .replaceAll("_", " ")
    .replaceAll(".", ", ");

/** From which value to which. */
export function differenceWords({ field, before, after }: Schemas["DifferenceOut"]): string {
  const name = fieldWords(field);
  if (before === null) return `${name}: ${after ?? ""}`;
  return after === null ? `${name}: ${before}, taken away` : `${name}: ${before} → ${after}`;
}

/** A change field by field; what can be said in words of its own, such as who is in a segment, as a whole. */
export function changeLines({ fields, definition }: Schemas["ChangeOut"], naming: SegmentNaming, currency: string): string[] {
  const whole = definition ? definitionFields(definition, naming, currency).filter(({ before, after }) => before !== after) : [];
  if (!definition || !whole.length) return fields.map(differenceWords);
  const isWithin = ({ field }: Schemas["DifferenceOut"]) => field.startsWith("definition.");
  const isSaid = ({ field }: Schemas["DifferenceOut"]) => definition.kind !== "funnel" || field.startsWith("definition.funnel.steps");
  const beside = fields.filter((one) => !isWithin(one));
  const unsaid = fields.filter((one) => isWithin(one) && !isSaid(one));
  return [...beside, ...whole, ...unsaid].map(differenceWords);
}

type Definition = NonNullable<Schemas["ChangeOut"]["definition"]>;

function definitionFields(definition: Definition, naming: SegmentNaming, currency: string): Schemas["DifferenceOut"][] {
  switch (definition.kind) {
    case "goal":
      return [between("counts", definition, goalWords), between("worth", definition, (goal) => worthWords(goal, currency))];
    case "segment":
      return [between("who is in it", definition, (segment) => segmentWords(segment, naming))];
    default:
      return [between("steps", definition, ({ steps }) => steps.map(stepName).join(", then "))];
  }
}

const between = <T>(field: string, { before, after }: { before: T | null; after: T | null }, words: (one: T) => string) => ({
  field,
  before: before && words(before),
  after: after && words(after),
});
