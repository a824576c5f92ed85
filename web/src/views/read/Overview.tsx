import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { clsx } from "clsx";
import { useState } from "react";

import { START } from "@/state/paths";
import { besideId } from "@/api/figures";
import { answerQuery, seriesQuery, type Asked } from "@/api/queries";
import { Figure } from "@/views/read/Figure";
import { Key } from "@/charts/Key";
import { LINE, SERIES, VERSUS_LINE } from "@/charts/styles";
import { useFlags } from "@/views/logbook/useFlags";
import { NamedValue } from "@/views/shared/NamedValue";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { TimeChart } from "@/charts/TimeChart";
import { STEPS } from "@/charts/course";
import { stepFor, stepsFor, useTimeSeries } from "@/charts/useTimeSeries";
import { ColumnsChoice } from "@/ledger/ColumnsChoice";
import { useLayout } from "@/ledger/layout";
import { Chosen } from "@/views/shared/Chosen";
import { plusDays } from "@/state/days";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { DimensionLedger, LEDGERS } from "@/views/read/DimensionLedger";
import { Legend } from "@/views/read/Legend";
import { overviewLedgers } from "@/views/read/specs";
import { PointWays } from "@/views/read/PointWays";
import { TodaySoFar } from "@/views/read/TodaySoFar";
import { figure, versusWords } from "@/words/format";
import { partWords, SIDE_LETTERS } from "@/words/segments";
import { ErrorState, Skeleton, ViewError } from "@/ui/states";
import { Answer, Title } from "@/ui/text";

const USUAL = ["conversions", "conversion_rate", "value", "visits", "new_visitors"];
const MAX_FIGURES = 10;
const PER_STEP = { hour: "an hour", day: "a day", week: "a week", month: "a month" };

/** Which channels and landing pages drive the goal: the answer, the figures with their course, and the ledgers that prove it. */
export function Overview() {
  const { ready, trouble, again } = useSite();
  const { goal, period, versus, segment, beside } = useView();
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (!ready) return <div aria-busy="true" />;
  const asked: Asked = { period, versus, goal: goal?.id ?? null, segment, beside };
  return (
    <div className="grid max-w-[1800px] grid-cols-[220px_minmax(0,1fr)] gap-x-7 max-[820px]:grid-cols-[minmax(0,1fr)] max-[820px]:gap-y-4">
      {goal ? <AnswerLine goal={goal.id} /> : <Waiting />}
      <Course asked={asked} />
      <div className={clsx("col-span-full grid gap-x-7 pt-4", LEDGERS[beside.length ? "below" : "beside"])}>
        {overviewLedgers(Boolean(goal)).map((spec) => (
          <DimensionLedger key={spec.title} asked={asked} spec={spec} />
        ))}
        <Legend versus={versus === "none" ? null : versusWords(period, versus)} />
      </div>
    </div>
  );
}

/** What is asked of today beside the figure in the chart. */
const soFarOf = (shown: string): string[] => [...new Set([shown, "visits", "conversions"])];

/** The figures that lead, as they were chosen and ordered in this browser. */
function useFigures() {
  const { registry } = useSite();
  const measures = registry?.measures ?? [];
  const { layout, isUsual, set } = useLayout("Overview figures", USUAL, (id) => measures.some((one) => one.name === id));
  const words = (id: string) => measures.find((one) => one.name === id)?.title ?? id;
  const free = measures.filter((one) => !layout.shown.includes(one.name));
  return {
    shown: layout.shown.slice(0, MAX_FIGURES),
    choice: (
      <ColumnsChoice
        label="Figures"
        words={words}
        shown={layout.shown}
        more={
          layout.shown.length < MAX_FIGURES
            ? free.map((one) => ({ meaning: one.meaning, options: [{ id: one.name, label: one.title }] }))
            : []
        }
        isUsual={isUsual}
        onShown={(shown) => set({ shown, widths: {} })}
        onUsual={() => set(null)}
      />
    ),
  };
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

function Course({ asked }: { asked: Asked }) {
  const { site, registry, segments } = useSite();
  const { goal, period, versus, live, step } = useView();
  const { setPeriod, readBy } = useSteering();
  const openUp = useOpenUp();
  const figures = useFigures();
  const [wanted, setShown] = useState("conversions");
  const shown = figures.shown.includes(wanted) ? wanted : (figures.shown[0] ?? "visits");
  const bucket = stepFor(period, step);
  // What is shown comes first: not of all figures is there room for several segments in one request.
  const measures = asked.beside?.length ? [...new Set([shown, ...figures.shown])] : figures.shown;
  const series = useQuery(seriesQuery(site.key, { ...asked, measures, bucket }, { live }));
  const adjoining = period.last === plusDays(site.today, -1) && bucket === "day";
  const today = useQuery({
    ...seriesQuery(
      site.key,
      { ...asked, beside: [], period: { first: site.today, last: site.today }, versus: "none", measures: soFarOf(shown), bucket: "day" },
      { live: true },
    ),
    enabled: !live,
  });
  const course = useTimeSeries(series.data, shown, site.today);
  const flags = useFlags(course?.points);
  const sides = (asked.beside ?? []).map((part, place) => ({
    letter: SIDE_LETTERS[place] ?? "",
    name: partWords(part, { registry, segments }),
    // As the whole: nothing where a day has not begun.
    values: (series.data?.points ?? []).map((point, i) =>
      course?.points[i]?.now === null ? null : (point.values[besideId(shown, place)] ?? null),
    ),
  }));
  const listed = figures.shown.flatMap((name) => registry?.measures.find((one) => one.name === name) ?? []);
  const title = (name: string) => (name === "conversions" && goal ? goal.name : (listed.find((one) => one.name === name)?.title ?? name));
  const current = listed.find((one) => one.name === shown);
  if (series.isError) return <ErrorState error={series.error} again={() => void series.refetch()} />;
  const perStep = PER_STEP[bucket];
  const soFar = today.data?.total.values;
  return (
    <>
      <div>
        <ul className="border-t border-ink-2 max-[820px]:pl-3" aria-label="Figures" aria-busy={series.isPending}>
          {series.data
            ? listed.map((measure) => (
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
            : figures.shown.map((name) => (
                <li key={name} className="flex h-[47px] items-center border-b border-hairline last:border-b-0">
                  <Skeleton className="h-3 w-[90px]" />
                </li>
              ))}
        </ul>
        <p className="text-right text-label max-[820px]:pl-3">{figures.choice}</p>
      </div>
      <section className="min-w-0" aria-label={`${title(shown)} ${perStep}`}>
        <header className="flex min-h-7 flex-wrap items-baseline gap-x-[18px] border-t border-ink-2 pt-[3px]">
          <Title>
            {title(shown)}{" "}
            <Chosen
              isWord
              label="By which steps"
              value={bucket}
              options={stepsFor(period).map((one) => ({ value: one, label: PER_STEP[one] }))}
              onChange={(to) => readBy(to === stepFor(period) ? undefined : STEPS.find((one) => one === to))}
            />
          </Title>
          <div className="ml-auto flex flex-wrap gap-x-[18px] text-label text-ink-2">
            <Key size={[20, 8]} mark={<path className={LINE} strokeWidth={1.75} d="M1 4H19" />}>
              this period
            </Key>
            {versus !== "none" && (
              <Key size={[20, 8]} mark={<path className={VERSUS_LINE} d="M1 4H19" />}>
                {versusWords(period, versus)}
              </Key>
            )}
            {sides.map(({ letter, name }, place) => (
              <Key key={letter} size={[20, 8]} mark={<path className={SERIES[place]?.line} strokeWidth={1.75} d="M1 4H19" />}>
                {letter} {name}
              </Key>
            ))}
          </div>
        </header>
        {course && current && (
          <TimeChart
            {...course}
            title={`${title(shown)} ${perStep}: ${figure(series.data?.total.values[shown], current.unit)} in all`}
            unit={current.unit}
            today={adjoining ? (soFar?.[shown] ?? null) : undefined}
            versus={versus === "none" ? null : "before"}
            flags={flags}
            sides={sides}
            ways={(at, following) => <PointWays at={at} following={following} bucket={bucket} />}
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
