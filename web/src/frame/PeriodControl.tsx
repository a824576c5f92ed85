import { Popover } from "radix-ui";
import { useState, type FormEvent } from "react";

import type { Period } from "@/api/client";
import { Field, Input } from "@/ui/Field";
import { daysIn, isDay, plusDays } from "@/state/days";
import { completeDays, useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { periodWords } from "@/words/format";

const LONGEST = 3700;

function usual(today: string, first: string): [string, Period][] {
  return [
    ["Last 7 days", completeDays(today, 7)],
    ["Last 28 days", completeDays(today, 28)],
    ["Last 91 days", completeDays(today, 91)],
    ["Last 364 days", completeDays(today, 364)],
    ["Today so far", { first: today, last: today }],
    ["Everything", { first: first < today ? first : plusDays(today, -1), last: plusDays(today, -1) }],
  ];
}

/** The period: one of the usual ones, or any two days. */
export function PeriodControl() {
  const { site, period, setPeriod } = useView();
  const [open, setOpen] = useState(false);
  const take = (to: Period) => {
    setPeriod(to);
    setOpen(false);
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="word" aria-label={`Period: ${periodWords(period)}`}>
        {periodWords(period)}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="menu panel" align="start" sideOffset={6} aria-label="Period">
          <ul>
            {usual(site.today, site.first_day).map(([name, one]) => (
              <li key={name}>
                <button
                  type="button"
                  className="menu-item"
                  aria-pressed={one.first === period.first && one.last === period.last}
                  onClick={() => take(one)}
                >
                  {name}
                </button>
              </li>
            ))}
          </ul>
          <Days key={`${period.first} ${period.last}`} period={period} take={take} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Days({ period, take }: { period: Period; take: (period: Period) => void }) {
  const [first, setFirst] = useState(period.first);
  const [last, setLast] = useState(period.last);
  const [error, setError] = useState<string | null>(null);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (!isDay(first) || !isDay(last)) setError("Give both days.");
    else if (last < first) setError("The last day lies before the first.");
    else if (daysIn(first, last) > LONGEST) setError(`A period has at most ${LONGEST} days.`);
    else take({ first, last });
  };
  return (
    <form className="form" onSubmit={submit} noValidate>
      <Field label="First day">
        {(control) => <Input {...control} type="date" value={first} onChange={(event) => setFirst(event.target.value)} />}
      </Field>
      <Field label="Last day" error={error}>
        {(control) => <Input {...control} type="date" value={last} onChange={(event) => setLast(event.target.value)} />}
      </Field>
      <Button type="submit" kind="primary">
        Read these days
      </Button>
    </form>
  );
}
