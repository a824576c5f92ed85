import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import type { Measure, MeasureValues } from "@/api/client";
import { narrowedBy, noFigures } from "@/api/figures";
import { expectedQuery, seriesQuery, tableQuery } from "@/api/queries";
import { useFlags } from "@/views/logbook/useFlags";
import { OpenedActivity } from "@/views/shared/OpenedActivity";
import { OpenedPresence } from "@/views/shared/OpenedPresence";
import { OpenedShare } from "@/views/shared/OpenedShare";
import { Parts } from "@/views/shared/Parts";
import { ComparedWithRest, SegmentOfThese, VisitsBehind, WayThere } from "@/views/shared/Behind";
import { Change } from "@/views/read/Figure";
import { withExpected } from "@/charts/course";
import { stepFor, useTimeSeries } from "@/charts/useTimeSeries";
import { TimeChart } from "@/charts/TimeChart";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { ErrorState } from "@/ui/states";
import { useSite } from "@/state/site";
import { ReadUnder, useView } from "@/state/view";
import { Sheet } from "@/ui/Dialog";
import { figure, periodWords, unitOf, valueWords, versusWords } from "@/words/format";
import { formulaNumbers } from "@/words/formulas";
import { partWords } from "@/words/segments";

import type { Opened } from "@/views/shared/OpenedUp";

const WAY = "text-teal underline-offset-3 hover:underline";

const isOfGoal = (measure: string): boolean => /conver|value/.test(measure);

interface BehindProps {
  opened: Opened;
  onClose: () => void;
  onCloseAutoFocus: (event: Event) => void;
}

/** The drawer behind a number: what it is, its formula with its numbers, its course, its parts. */
export function OpenedBehind(props: BehindProps) {
  return (
    <ReadUnder under={props.opened.under}>
      <Behind {...props} />
    </ReadUnder>
  );
}

function Behind({ opened, onClose, onCloseAutoFocus }: BehindProps) {
  const { registry, segments, site } = useSite();
  const { period } = useView();
  const measure = registry?.measures.find((one) => one.name === opened.measure);
  const values = (opened.of ?? []).map((one) => valueWords(one.dimension, one.value));
  const subject = [...values, ...(opened.part ? [partWords(opened.part, { registry, segments })] : [])].join(", ") || "All visits";
  return (
    <Sheet
      open
      above="Opened up"
      title={`${opened.title}${measure ? unitOf(opened.heldAgainst ? "count" : opened.outOf ? "percent" : measure.unit, site.currency) : ""}`}
      below={`${subject}, ${periodWords(period)}`}
      onClose={onClose}
      onCloseAutoFocus={onCloseAutoFocus}
    >
      {measure && <Inside opened={opened} measure={measure} />}
    </Sheet>
  );
}

function Inside({ opened, measure }: { opened: Opened; measure: Measure }) {
  const { site, registry } = useSite();
  const { goal, period, versus, segment, live, step } = useView();
  const asked = useMemo(
    () => ({ period, versus, goal: goal?.id ?? null, segment: narrowedBy(segment, [], opened.part ? [opened.part] : []) }),
    [period, versus, goal, segment, opened],
  );
  // A row as its table has it: of a dimension of the hit a segment would take in all that its visits did.
  const [dimensions, row] = [(opened.of ?? []).map((one) => one.dimension), (opened.of ?? []).map((one) => one.value)];
  const measures = [measure.name, ...measure.parts];
  const table = useQuery(tableQuery(site.key, { ...asked, dimensions, parents: row, measures, descending: true, limit: 1 }, { live }));
  const bucket = stepFor(period, step);
  const series = useQuery(
    seriesQuery(site.key, { ...asked, measures: [measure.name], bucket, ...(row.length ? { dimensions, rows: [row] } : {}) }, { live }),
  );
  const expected = useQuery({
    ...expectedQuery(site.key, { period, goal: goal?.id ?? null, segment: asked.segment, measure: measure.name }),
    enabled: bucket === "day" && row.length === 0,
  });
  const course = withExpected(useTimeSeries(series.data, measure.name, site.today), bucket === "day" ? expected.data : undefined);
  const flags = useFlags(course?.points);
  if (table.isError || series.isError)
    return <ErrorState error={table.error ?? series.error} again={() => void Promise.all([table.refetch(), series.refetch()])} />;
  if (!table.data) return <LedgerSkeleton rows={4} />;
  const known = [measure, ...measure.parts.flatMap((name) => registry?.measures.find((one) => one.name === name) ?? [])];
  const total = row.length ? (table.data.rows[0] ?? noFigures(known)) : table.data.total;
  return (
    <div data-inside>
      {opened.did ? (
        <OpenedActivity did={opened.did} visits={total.values[measure.name] ?? 0} />
      ) : opened.present !== undefined ? (
        <OpenedPresence count={opened.present} of={opened.of?.[0]} />
      ) : opened.outOf ? (
        <OpenedShare
          of={opened.outOf}
          heldAgainst={opened.heldAgainst}
          heldUnder={opened.heldUnder}
          row={opened.of ?? []}
          opened={total.values[measure.name] ?? 0}
          measure={measure}
          asked={asked}
        />
      ) : (
        <OpenedFigure measure={measure} total={total} />
      )}
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">
        {opened.present !== undefined
          ? "Of today: the course"
          : opened.outOf || opened.did
            ? `The course of these ${measure.title.toLowerCase()}`
            : "Its course"}
      </h3>
      {course && (
        <TimeChart
          {...course}
          title={opened.title}
          unit={measure.unit}
          versus={versus === "none" ? null : "before"}
          flags={flags}
          height={190}
        />
      )}
      {course?.points.some((one) => one.expected) && (
        <p className="text-label text-ink-2">Shaded: between what each day was expected; a day outside is ringed.</p>
      )}
      <Parts asked={asked} measure={measure} of={opened.of ?? []} />
      {/* The address that they lead to has nothing opened; to close as well would be a second way to go at once, and might win. */}
      <p className="mt-3 grid justify-items-start gap-1.5">
        <VisitsBehind className={WAY} places={opened.of ?? []} whole={opened.part} />
        {((opened.of ?? []).length > 0 || opened.part) && (
          <>
            <ComparedWithRest className={WAY} places={opened.of ?? []} whole={opened.part} />
            <SegmentOfThese className={WAY} places={opened.of ?? []} whole={opened.part} />
          </>
        )}
        {isOfGoal(measure.name) && goal && <WayThere className={WAY} places={opened.of ?? []} whole={opened.part} />}
      </p>
    </div>
  );
}

/** A figure that is opened: what it is, its formula with its numbers put in, what it is made of. */
function OpenedFigure({ measure, total }: { measure: Measure; total: MeasureValues }) {
  const { registry } = useSite();
  const { goal, period, versus } = useView();
  const interval = total.interval?.[measure.name];
  const parts = measure.parts.flatMap((name) => registry?.measures.find((one) => one.name === name) ?? []);
  const numbers = formulaNumbers(measure, total.values, parts);
  const goalWords = isOfGoal(measure.name) && goal ? ` The goal is ${goal.name}.` : "";
  return (
    <>
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {figure(total.values[measure.name], measure.unit)}
      </p>
      <Change figures={total} measure={measure} />
      {versus !== "none" && (
        <p className="text-ink-2">
          held against {versusWords(period, versus)}
          {total.before && <>, where it was {figure(total.before[measure.name], measure.unit)}</>}
        </p>
      )}
      {total.few?.includes(measure.name) && (
        <p className="my-2 border-l-2 border-buff px-2.5 py-1.5">
          <b>few</b>: fewer than five are expected here at the rate of all, too few to say anything.
        </p>
      )}
      {interval && (
        <p>
          Between {figure(interval.low, "percent")} and {figure(interval.high, "percent")} %, as far as chance goes (95 % Wilson interval).
        </p>
      )}
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">What it is</h3>
      <p>
        {measure.meaning}
        {goalWords}
      </p>
      <p className="my-1.5 font-serif text-note text-ink-2">= {measure.formula}</p>
      {numbers && (
        <p className="my-1.5 font-serif text-note" data-numbers>
          = {numbers} = {figure(total.values[measure.name], measure.unit)}
          {measure.unit === "percent" && " %"}
        </p>
      )}
      {measure.parts.length > 0 && (
        <dl>
          {parts.map((part) => (
            <div key={part.name} className="flex justify-between border-b border-hairline py-[3px]">
              <dt>{part.title}</dt>
              <dd className="font-semibold">{figure(total.values[part.name], part.unit)}</dd>
            </div>
          ))}
        </dl>
      )}
    </>
  );
}
