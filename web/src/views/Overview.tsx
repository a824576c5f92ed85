import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { segmentOf } from "@/api/figures";
import { answerQuery, seriesQuery, type Asked } from "@/app/queries";
import { Figure } from "@/pieces/Figure";
import { Key } from "@/pieces/Key";
import { useOpenUp } from "@/pieces/OpenedUp";
import { TimeChart } from "@/pieces/TimeChart";
import { ErrorState } from "@/pieces/ErrorState";
import { stepFor, useTimeSeries } from "@/pieces/useTimeSeries";
import { plusDays } from "@/state/days";
import { useView, type View } from "@/state/view";
import { DriverLedger } from "@/views/DriverLedger";
import { Legend } from "@/views/Legend";
import { TodaySoFar } from "@/views/TodaySoFar";
import { figure, versusWords } from "@/words/format";

const SHOWN = ["conversions", "conversion_rate", "value", "visits", "new_visitors"];

/** Which channels and landing pages drive the goal: the answer, the figures with their course, and the ledgers that prove it. */
export function Overview() {
  const view = useView();
  if (view.trouble) return <ErrorState error={view.trouble} again={view.again} />;
  if (!view.ready) return <div className="overview" aria-busy="true" />;
  return <Ready view={view} />;
}

function Ready({ view }: { view: View }) {
  const { goal, period, versus, filters } = view;
  const asked: Asked = { period, versus, goal: goal?.id ?? null, filters };
  return (
    <div className="overview">
      {goal ? <AnswerLine view={view} goal={goal.id} /> : <h1 className="answer">Say what counts: this site has no goal yet.</h1>}
      <Course view={view} asked={asked} />
      <div className="ledgers">
        <DriverLedger view={view} asked={asked} dimension="channel" title="Channels" aside="credit to the visit’s own channel" />
        <DriverLedger view={view} asked={asked} dimension="entry_page" title="Landing pages" aside="the first page of the visit" />
        <Legend versus={versus === "none" ? null : versusWords(period, versus)} />
      </div>
    </div>
  );
}

function AnswerLine({ view, goal }: { view: View; goal: number }) {
  const { site, period, filters, live, narrow } = view;
  const answer = useQuery(answerQuery(site.key, { period, goal, segment: segmentOf(filters) }, { live }));
  if (answer.isError) return <ErrorState error={answer.error} again={() => void answer.refetch()} />;
  return (
    <h1 className="answer" aria-busy={answer.isPending}>
      {answer.data?.phrases.map((phrase, i) =>
        phrase.dimension ? (
          <button
            key={i}
            type="button"
            title="Only these"
            onClick={(event) => narrow(phrase.dimension ?? "", phrase.value ?? "", event.altKey)}
          >
            {phrase.text}
          </button>
        ) : (
          <span key={i}>{phrase.text}</span>
        ),
      ) ?? " "}
    </h1>
  );
}

function Course({ view, asked }: { view: View; asked: Asked }) {
  const { site, goal, registry, period, versus, live, setPeriod } = view;
  const openUp = useOpenUp();
  const [shown, setShown] = useState("conversions");
  const series = useQuery(seriesQuery(site.key, { ...asked, measures: SHOWN, bucket: stepFor(period) }, { live }));
  const adjoining = period.last === plusDays(site.today, -1) && stepFor(period) === "day";
  const today = useQuery({
    ...seriesQuery(
      site.key,
      { ...asked, period: { first: site.today, last: site.today }, versus: "none", measures: SHOWN, bucket: "day" },
      { live: true },
    ),
    enabled: !live,
  });
  const course = useTimeSeries(series.data, shown, site.today);
  const measures = SHOWN.flatMap((name) => registry?.measures.find((one) => one.name === name) ?? []);
  const title = (name: string) => (name === "conversions" && goal ? goal.name : (measures.find((one) => one.name === name)?.title ?? name));
  const current = measures.find((one) => one.name === shown);
  if (series.isError) return <ErrorState error={series.error} again={() => void series.refetch()} />;
  const perStep = course ? { hour: "an hour", day: "a day", week: "a week", month: "a month" }[course.bucket] : "";
  const soFar = today.data?.total.values;
  return (
    <>
      <ul className="figures" aria-label="MeasureValues" aria-busy={series.isPending}>
        {series.data
          ? measures.map((measure) => (
              <Figure
                key={measure.name}
                name={title(measure.name)}
                measure={measure}
                figures={series.data.total}
                course={series.data.points.map((point) => point.values[measure.name] ?? null)}
                currency={site.currency}
                current={measure.name === shown}
                onShow={() => setShown(measure.name)}
                onOpen={() => openUp({ measure: measure.name, title: title(measure.name) })}
              />
            ))
          : SHOWN.map((name) => <li key={name} className="coming" />)}
      </ul>
      <section className="course" aria-label={`${title(shown)} ${perStep}`}>
        <header>
          <h2 className="title">
            {title(shown)} {perStep}
          </h2>
          <div className="key-line">
            <Key size={[20, 8]} mark={<path className="line" d="M1 4H19" />}>
              this period
            </Key>
            {versus !== "none" && (
              <Key size={[20, 8]} mark={<path className="line-versus" d="M1 4H19" />}>
                {versusWords(period, versus)}
              </Key>
            )}
          </div>
        </header>
        {course && current && (
          <TimeChart
            {...course}
            title={`${title(shown)} ${perStep}: ${figure(series.data?.total.values[shown], current.unit)} in all`}
            unit={current.unit}
            today={adjoining ? (soFar?.[shown] ?? null) : undefined}
            versus={versus === "none" ? null : "before"}
            onTake={(first, following) => setPeriod({ first, last: following ? plusDays(following, -1) : period.last })}
          />
        )}
        {!live && soFar && (
          <TodaySoFar
            visits={soFar["visits"] ?? 0}
            conversions={soFar["conversions"] ?? 0}
            goal={goal?.name}
            onShow={() => setPeriod({ first: site.today, last: site.today })}
          />
        )}
      </section>
    </>
  );
}
