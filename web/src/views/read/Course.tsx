import { useQuery } from "@tanstack/react-query";

import { besideId } from "@/api/figures";
import { expectedQuery, seriesQuery, type Asked } from "@/api/queries";
import { Figure } from "@/views/read/Figure";
import { Key } from "@/charts/Key";
import { LINE, SERIES, VERSUS_LINE } from "@/charts/styles";
import { useFlags } from "@/views/logbook/useFlags";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { TimeChart } from "@/charts/TimeChart";
import { seasonWords, STEPS, withExpected } from "@/charts/course";
import { stepFor, stepsFor, useTimeSeries } from "@/charts/useTimeSeries";
import { ColumnsChoice } from "@/ledger/ColumnsChoice";
import { useLayout } from "@/ledger/layout";
import { Chosen } from "@/views/shared/Chosen";
import { plusDays } from "@/state/days";
import { readText, useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { PointWays } from "@/views/read/PointWays";

import { TodaySoFar } from "@/views/read/TodaySoFar";
import { figure, plural, versusWords } from "@/words/format";
import { partWords, SIDE_LETTERS } from "@/words/segments";
import { ErrorState, Skeleton } from "@/ui/states";
import { Title } from "@/ui/text";

const USUAL = ["conversions", "conversion_rate", "value", "visits", "new_visitors"];
const MAX_FIGURES = 10;
const PER_STEP = { hour: "an hour", day: "a day", week: "a week", month: "a month" };

/** What is asked of today beside the figure in the chart. */
const soFarOf = (shown: string): string[] => [...new Set([shown, "visits", "conversions"])];

export function Course({ asked }: { asked: Asked }) {
  const { site, registry, segments } = useSite();
  const { goal, period, versus, live, step } = useView();
  const { setPeriod, readBy } = useSteering();
  const openUp = useOpenUp();
  const figures = useFigures();
  const [wanted, setWanted] = useShown("course", "conversions", readText);
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
  const expected = useQuery({
    ...expectedQuery(site.key, { period, goal: goal?.id ?? null, segment: asked.segment, measure: shown }),
    enabled: bucket === "day",
  });
  const course = withExpected(useTimeSeries(series.data, shown, site.today), bucket === "day" ? expected.data : undefined);
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
  const season = bucket === "month" && course ? seasonWords(course.points, title(shown), current?.unit ?? "count") : null;
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
                  onShow={() => setWanted(() => measure.name)}
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
            {course?.points.some((point) => point.expected) && (
              <Key size={[20, 10]} mark={<rect className="fill-sea-1 stroke-sea-2" x="0.5" y="0.5" width="19" height="9" />}>
                expected
              </Key>
            )}
            {sides.map(({ letter, name }, place) => (
              <Key key={letter} size={[20, 8]} mark={<path className={SERIES[place]?.line} strokeWidth={1.75} d="M1 4H19" />}>
                {letter} {name}
              </Key>
            ))}
          </div>
        </header>
        {bucket === "day" && expected.data && expected.data.at.length === 0 && (
          <p className="text-label text-ink-2">
            No expected band: that takes five weeks of days before and in these, and there {expected.data.days === 1 ? "is" : "are"}{" "}
            {plural(expected.data.days, "day")}.
          </p>
        )}
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
        {season && <p className="pb-1 font-serif text-note text-ink-2">{season}</p>}
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
