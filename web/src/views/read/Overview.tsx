import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { clsx } from "clsx";
import { useEffect } from "react";

import { ViewPending } from "@/ledger/ViewPending";
import { START } from "@/state/paths";
import { sendAsked } from "@/api/client";
import { answerQuery, type Asked } from "@/api/queries";
import { NamedValue } from "@/views/shared/NamedValue";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { DimensionLedger, LEDGERS } from "@/views/read/DimensionLedger";
import { Legend } from "@/views/read/Legend";
import { overviewLedgers } from "@/views/read/ledgers/overview";
import { versusWords } from "@/words/format";
import { ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";

import { Course } from "@/views/read/Course";
import { LettersProvider } from "@/views/read/letters";
import { useInsights } from "@/views/read/useInsights";
import { WorthALook } from "@/views/read/WorthALook";

/** Which channels and landing pages drive the goal: the answer, the figures with their course, and the ledgers that prove it. */
export function Overview() {
  const { ready, trouble, again } = useSite();
  if (trouble) return <ViewError error={trouble} again={again} />;
  return ready ? <Read /> : <ViewPending />;
}

function Read() {
  const { goal, period, versus, segment, beside } = useView();
  const { found, letters } = useInsights();
  useEffect(sendAsked); // as any view of ledgers does
  const asked: Asked = { period, versus, goal: goal?.id ?? null, segment, beside };
  return (
    <LettersProvider value={letters}>
      <div className="grid max-w-[1800px] grid-cols-[minmax(0,1fr)_290px] gap-x-8 gap-y-5 max-[1179px]:grid-cols-[minmax(0,1fr)]">
        <div className="grid grid-cols-[220px_minmax(0,1fr)] content-start gap-x-7 max-[820px]:grid-cols-[minmax(0,1fr)] max-[820px]:gap-y-4">
          {goal ? <AnswerLine goal={goal.id} /> : <Waiting />}
          <Course asked={asked} />
        </div>
        <WorthALook found={found} />
        <div className={clsx("col-span-full grid gap-x-7", LEDGERS[beside.length ? "below" : "beside"])}>
          {overviewLedgers(Boolean(goal)).map((spec, place) => (
            <DimensionLedger key={spec.title} asked={asked} spec={spec} place={place} />
          ))}
          <Legend versus={versus === "none" ? null : versusWords(period, versus)} />
        </div>
      </div>
    </LettersProvider>
  );
}

/** What the site still waits for, before it can be read against a goal. */
function Waiting() {
  const { site } = useSite();
  return (
    <Answer className="min-h-[78px] pb-3.5">
      Say what counts: this site has no goal yet.{" "}
      <Link className="border-b-[1.5px] border-sea-2 text-ink hover:border-teal" to={START} params={{ site: site.key }} search>
        What it is still waiting for
      </Link>
    </Answer>
  );
}

function AnswerLine({ goal }: { goal: number }) {
  const { site } = useSite();
  const { period, segment, live } = useView();
  const answer = useQuery(answerQuery(site.key, { period, goal, segment }, { live }));
  if (answer.isError) return <ViewError error={answer.error} again={() => void answer.refetch()} />;
  return (
    <Answer className="min-h-[78px] pb-3.5" aria-busy={answer.isPending}>
      {answer.data?.phrases.map((phrase, i) =>
        phrase.dimension ? (
          <NamedValue key={i} dimension={phrase.dimension} value={phrase.value ?? ""} words={phrase.text} />
        ) : (
          <span key={i}>{phrase.text}</span>
        ),
      ) ?? " "}
    </Answer>
  );
}
