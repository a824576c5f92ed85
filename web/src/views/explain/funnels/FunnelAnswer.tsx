import { NamedValue } from "@/views/shared/NamedValue";
import { Answer } from "@/ui/text";
import type { Schemas } from "@/api/client";
import { doing } from "@/words/comparing";
import { figure } from "@/words/format";
import { inHundred, stepName, worstStep, type Difference, type Funnel, type FunnelRow } from "@/words/funnels";
import { matchWords } from "@/words/segments";

interface FunnelAnswerProps {
  funnel: Funnel;
  result: Schemas["FunnelResult"];
  dimension: { name: string; title: string } | null;
  /** Where who is lost beyond all. */
  apart: Difference | null;
}

/** How many came from the first step to the last, and where who is lost: the row that loses most beyond all, or the step that does. */
export function FunnelAnswer({ funnel, result, dimension, apart }: FunnelAnswerProps) {
  const { whole } = result;
  const [first, last] = [funnel.steps[0], funnel.steps.at(-1)];
  const [began, ended] = [whole.reached[0] ?? 0, whole.reached.at(-1) ?? 0];
  if (!first || !last) return null;
  const who = funnel.units === "people" ? "people who" : "visits that";
  if (!began)
    return (
      <Answer>
        No {who} {matchWords(first)} in these days.
      </Answer>
    );
  const worst = worstStep(whole);
  return (
    <Answer>
      Of {figure(began, "count")} {who} {matchWords(first)}, {ended === 0 ? "none" : figure(ended, "count")} {matchWords(last)}.{" "}
      {apart ? (
        <Apart {...{ funnel, dimension }} {...apart} />
      ) : (
        worst !== null && (
          <>
            Most are lost before {stepName(funnel.steps[worst] ?? last)}: {inHundred(1 - (whole.of_previous[worst] ?? 0))} in 100.
          </>
        )
      )}
    </Answer>
  );
}

type ApartProps = Pick<FunnelAnswerProps, "funnel" | "dimension"> & Difference;

function Apart({ funnel, dimension, step, row, against }: ApartProps) {
  const [before, here] = [funnel.steps[step - 1], funnel.steps[step]];
  if (!before || !here) return null;
  const shareOf = (one: FunnelRow) => inHundred(one.figures.of_previous[step] ?? 0);
  const named = (one: FunnelRow) => {
    if (!dimension || one.value === null) return <>in {one.name}</>;
    const [verb, words] = doing(dimension, one.value, "then");
    return (
      <>
        who {verb} <NamedValue dimension={dimension.name} value={one.value} words={words} />
      </>
    );
  };
  return (
    <>
      From {stepName(before)} to {stepName(here)} go {shareOf(row)} in 100 of those {named(row)}
      {against && (
        <>
          , and {shareOf(against)} of those {named(against)}
        </>
      )}
      .
    </>
  );
}
