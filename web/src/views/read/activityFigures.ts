import type { Condition, Schemas, SegmentPart } from "@/api/client";
import { duration, figure } from "@/words/format";
import { PLAIN_MATCH } from "@/words/segments";

export type Form = Schemas["FormActivity"];
export type Medium = Schemas["MediaActivity"];
export type Promotion = Schemas["PromotionActivity"];

/** What was done with one form, promotion or medium: events that bear it as a property, all of one kind. */
interface Done {
  names: string[];
  key: "form" | "promo" | "media";
}
const FORM_SENT: Done = { key: "form", names: ["form submit"] };
const FORM_BEGUN: Done = { key: "form", names: ["form start", ...FORM_SENT.names] };
const FORM_SEEN: Done = { key: "form", names: ["form view", "form leave", ...FORM_BEGUN.names] };
const PROMO_CLICKED: Done = { key: "promo", names: ["promo click"] };
const PROMO_SEEN: Done = { key: "promo", names: ["promo view", ...PROMO_CLICKED.names] };
const PLAYED: Done = { key: "media", names: ["media start", "media progress"] };

/** A figure of a form, a promotion or a medium: what it is, and in which visits that was done. */
export interface ActivityFigure<Row> {
  id: string;
  head: string;
  unit: "count" | "percent" | "seconds";
  meaning: string;
  done: Done;
  value: (row: Row) => number | null;
  /** Where it is one number divided by another: both. */
  ratio?: (row: Row) => [number, number];
  width?: number;
  isLead?: boolean;
}

type Said<Row> = Omit<ActivityFigure<Row>, "value"> & { ratio: (row: Row) => [number, number] };

const divided = <Row>(said: Said<Row>): ActivityFigure<Row> => ({
  ...said,
  value: (row) => {
    const [part, of] = said.ratio(row);
    return of > 0 ? part / of : null;
  },
});

export const FORM_FIGURES: readonly ActivityFigure<Form>[] = [
  { id: "seen", head: "Seen", unit: "count", meaning: "Visits that saw it.", done: FORM_SEEN, value: (one) => one.seen, isLead: true },
  { id: "begun", head: "Begun", unit: "count", meaning: "Visits that began to fill it in.", done: FORM_BEGUN, value: (one) => one.begun },
  { id: "sent", head: "Sent", unit: "count", meaning: "Visits that sent it.", done: FORM_SENT, value: (one) => one.sent },
  divided({
    id: "rate",
    head: "Rate",
    unit: "percent",
    meaning: "Visits that sent it ÷ visits that saw it.",
    done: FORM_SENT,
    ratio: (one) => [one.sent, one.seen],
  }),
  {
    id: "time",
    head: "Time",
    unit: "seconds",
    meaning: "The middle time from the first typing to the sending.",
    done: FORM_SENT,
    value: (one) => one.seconds,
  },
];

/** `goal`: what the one that is steered by is called, and how a column is. */
export const promotionFigures = (goal: { name: string; word: string } | null): readonly ActivityFigure<Promotion>[] => [
  { id: "seen", head: "Seen", unit: "count", meaning: "Visits that saw it.", done: PROMO_SEEN, value: (one) => one.seen, isLead: true },
  { id: "clicked", head: "Clicked", unit: "count", meaning: "Visits that clicked it.", done: PROMO_CLICKED, value: (one) => one.clicked },
  divided({
    id: "rate",
    head: "Rate",
    unit: "percent",
    meaning: "Visits that clicked it ÷ visits that saw it.",
    done: PROMO_CLICKED,
    ratio: (one) => [one.clicked, one.seen],
  }),
  ...(goal
    ? [
        {
          id: "conversions",
          head: `${goal.word} after`,
          unit: "count" as const,
          meaning: `${goal.name} behind the first click, in the same visit.`,
          done: PROMO_CLICKED,
          value: (one: Promotion) => one.conversions,
          width: 100,
        },
        divided<Promotion>({
          id: "converting",
          head: "Of clicked",
          unit: "percent",
          meaning: `Visits with ${goal.name} behind the first click ÷ visits that clicked it.`,
          done: PROMO_CLICKED,
          ratio: (one) => [one.converting, one.clicked],
          width: 96,
        }),
      ]
    : []),
];

export const MEDIA_FIGURES: readonly ActivityFigure<Medium>[] = [
  {
    id: "visits",
    head: "Visits",
    unit: "count",
    meaning: "Visits that played it.",
    done: PLAYED,
    value: (one) => one.visits,
    isLead: true,
  },
  { id: "plays", head: "Plays", unit: "count", meaning: "How often it was started.", done: PLAYED, value: (one) => one.plays },
  divided({
    id: "seconds",
    head: "Seen a visit",
    unit: "seconds",
    meaning: "The time that it was seen ÷ visits that played it.",
    done: PLAYED,
    ratio: (one) => [one.seconds, one.visits],
    width: 112,
  }),
  {
    id: "mean",
    head: "Mean",
    unit: "percent",
    meaning: "How much of it a visit sees on average.",
    done: PLAYED,
    value: (one) => one.mean_share,
  },
  divided({
    id: "end",
    head: "To the end",
    unit: "percent",
    meaning: "Visits that saw it to the end ÷ visits that played it.",
    done: PLAYED,
    ratio: (one) => [one.to_end, one.visits],
    width: 106,
  }),
];

/** Visits in which it was done. */
export const visitsThat = ({ names, key }: Done, value: string): SegmentPart => ({
  kind: "segment",
  segment: {
    of: "visits",
    where: {
      kind: "group",
      of: "all",
      conditions: [
        { kind: "did", match: { ...PLAIN_MATCH, kind: "event", names, props: [{ key, test: "is", value }] }, test: "at least", times: 1 },
      ],
    },
  },
});

const LEFT_AT = "left at ";

/** How many left a form at a field, and the visits in which they did and did not send it. */
export const leftAt = (form: string, field: string): { did: Did; part: SegmentPart } => {
  const event = (name: string, props: [string, string][]): Condition => ({
    kind: "did",
    match: { ...PLAIN_MATCH, kind: "event", names: [name], props: props.map(([key, value]) => ({ key, test: "is", value })) },
    test: "at least",
    times: 1,
  });
  const sent: Condition = { kind: "group", of: "none", conditions: [event("form submit", [["form", form]])] };
  const left = event("form leave", [
    ["form", form],
    ["field", field],
  ]);
  return {
    did: { of: "forms", name: form, figure: LEFT_AT + field },
    part: { kind: "segment", segment: { of: "visits", where: { kind: "group", of: "all", conditions: [left, sent] } } },
  };
};

/** A figure that is opened: of which list, of what in it, which one. */
export interface Did {
  of: "forms" | "promotions" | "media";
  name: string;
  figure: string;
}

/** What is said of an opened figure: itself, what it is, and its formula with its numbers put in. Nothing where there is none of that name any more. */
export function saidOf(found: Schemas["ActivityResult"], did: Did, goal: { name: string; word: string } | null) {
  const said = <Row>(row: Row | undefined, figures: readonly ActivityFigure<Row>[]) => {
    const one = figures.find(({ id }) => id === did.figure);
    if (!row || !one) return null;
    const [part, of] = one.ratio?.(row) ?? [null, null];
    const above = part === null ? "" : one.unit === "seconds" ? duration(part * 1000) : figure(part, "count");
    return {
      figure: `${figure(one.value(row), one.unit)}${{ count: "", percent: " %", seconds: " min" }[one.unit]}`,
      meaning: one.meaning,
      numbers: of === null ? null : `${above} ÷ ${figure(of, "count")}`,
    };
  };
  if (did.of === "forms" && did.figure.startsWith(LEFT_AT)) {
    const form = found.forms.find((one) => one.form === did.name);
    const left = form?.left_at.find((one) => one.field === did.figure.slice(LEFT_AT.length));
    const meaning = "Visits that began it, did not send it, and typed last in this field.";
    return left ? { figure: figure(left.visits, "count"), meaning, numbers: null } : null;
  }
  if (did.of === "forms")
    return said(
      found.forms.find((one) => one.form === did.name),
      FORM_FIGURES,
    );
  if (did.of === "media")
    return said(
      found.media.find((one) => one.media === did.name),
      MEDIA_FIGURES,
    );
  return said(
    found.promotions.find((one) => one.promo === did.name),
    promotionFigures(goal),
  );
}
