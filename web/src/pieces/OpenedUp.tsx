import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";

import type { Measure } from "@/api/client";
import { seriesQuery, tableQuery } from "@/app/queries";
import { Change } from "@/pieces/Figure";
import { Cross } from "@/pieces/Marks";
import { stepFor, useTimeSeries } from "@/pieces/useTimeSeries";
import { TimeChart } from "@/pieces/TimeChart";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { figure, periodWords, unitOf, valueWords, versusWords } from "@/words/format";

/** A number: a measure, of one value of a dimension or of all visits. */
export interface Opened {
  measure: string;
  title: string;
  dimension?: string;
  value?: string;
}

const Context = createContext<(opened: Opened) => void>(() => undefined);
export const useOpenUp = () => useContext(Context);

/** The drawer behind every number: what it is, its formula, its parts, its course. */
export function OpenedUpProvider({ children }: { children: ReactNode }) {
  const [opened, setOpened] = useState<Opened | null>(null);
  const from = useRef<HTMLElement | null>(null);
  const open = useCallback((next: Opened) => {
    from.current = document.activeElement as HTMLElement | null;
    setOpened(next);
  }, []);
  return (
    <Context.Provider value={open}>
      {children}
      <Dialog.Root open={opened !== null} onOpenChange={(to) => !to && setOpened(null)} modal={false}>
        <Dialog.Portal>
          <Dialog.Content
            className="drawer"
            aria-describedby={undefined}
            onInteractOutside={(event) => event.preventDefault()}
            onCloseAutoFocus={(event) => {
              event.preventDefault();
              from.current?.focus();
            }}
          >
            {opened && <Behind opened={opened} />}
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </Context.Provider>
  );
}

function Behind({ opened }: { opened: Opened }) {
  const { registry, period, site } = useView();
  const measure = registry?.measures.find((one) => one.name === opened.measure);
  const subject = opened.dimension === undefined ? "All visits" : valueWords(opened.dimension, opened.value ?? "");
  return (
    <>
      <header>
        <p className="quiet">Opened up</p>
        <Dialog.Title className="title">
          {opened.title}
          {measure && unitOf(measure.unit, site.currency)}
        </Dialog.Title>
        <p className="subject">
          {subject}, {periodWords(period)}
        </p>
        <Dialog.Close asChild>
          <Button kind="icon" className="absolute -top-1 -right-1" aria-label="Close">
            <Cross />
          </Button>
        </Dialog.Close>
      </header>
      {measure && <Inside opened={opened} measure={measure} />}
    </>
  );
}

function Inside({ opened, measure }: { opened: Opened; measure: Measure }) {
  const { site, registry, goal, period, versus, filters, live } = useView();
  const own = useMemo(
    () =>
      opened.dimension === undefined
        ? filters
        : [...filters, { dimension: opened.dimension, values: [opened.value ?? ""], without: false }],
    [opened, filters],
  );
  const asked = { period, versus, goal: goal?.id ?? null, filters: own };
  const measures = [measure.name, ...measure.parts];
  const table = useQuery(tableQuery(site.key, { ...asked, dimensions: [], measures, descending: true, limit: 1 }, { live }));
  const series = useQuery(seriesQuery(site.key, { ...asked, measures: [measure.name], bucket: stepFor(period) }, { live }));
  const course = useTimeSeries(series.data, measure.name, site.today);
  if (table.isError || series.isError)
    return <ErrorState error={table.error ?? series.error} again={() => void Promise.all([table.refetch(), series.refetch()])} />;
  if (!table.data) return <div className="to-come" role="status" aria-busy="true" aria-label="On its way" />;
  const { total } = table.data;
  const interval = total.interval?.[measure.name];
  const goalWords = /conver|value/.test(measure.name) && goal ? ` The goal is ${goal.name}.` : "";
  return (
    <div className="inside">
      <p className="large">{figure(total.values[measure.name], measure.unit)}</p>
      <Change figures={total} measure={measure} />
      {versus !== "none" && <p className="quiet">held against {versusWords(period, versus)}</p>}
      {total.few?.includes(measure.name) && (
        <p className="few-note">
          <b>few</b>: fewer than five are expected here at the rate of all, too few to say anything.
        </p>
      )}
      {interval && (
        <p>
          Between {figure(interval.low, "percent")} and {figure(interval.high, "percent")} %, as far as chance goes (95 % Wilson interval).
        </p>
      )}
      <h3 className="title">What it is</h3>
      <p>
        {measure.meaning}
        {goalWords}
      </p>
      <p className="formula">= {measure.formula}</p>
      {measure.parts.length > 0 && (
        <dl className="parts">
          {measure.parts.map((name) => {
            const part = registry?.measures.find((one) => one.name === name);
            return (
              part && (
                <div key={name}>
                  <dt>{part.title}</dt>
                  <dd>{figure(total.values[name], part.unit)}</dd>
                </div>
              )
            );
          })}
        </dl>
      )}
      <h3 className="title">Its course</h3>
      {course && (
        <TimeChart {...course} title={opened.title} unit={measure.unit} versus={versus === "none" ? null : "before"} height={190} />
      )}
    </div>
  );
}
