import type { Period } from "@/api/client";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { daysIn, isDay } from "@/state/days";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";

const LONGEST = 3700;

function check({ first, last }: Period): { last?: string } {
  if (!isDay(first) || !isDay(last)) return { last: "Give both days." };
  if (last < first) return { last: "The last day lies before the first." };
  return daysIn(first, last) > LONGEST ? { last: `A period has at most ${LONGEST} days.` } : {};
}

/** Any two days as the period. */
export function DaysEntry({ period, take }: { period: Period; take: (period: Period) => void }) {
  const entry = useEntry({ values: period, check, send: (days) => Promise.resolve(days), after: take, touches: "nothing" });
  return (
    <EntryForm
      entry={entry}
      label="Two days"
      isKept={false}
      className="border-t border-hairline px-3.5 pt-2.5 pb-1"
      foot={
        <Button type="submit" kind="primary">
          Read these days
        </Button>
      }
    >
      <EntryField entry={entry} name="first" label="First day">
        {(control) => <Input {...control} type="date" />}
      </EntryField>
      <EntryField entry={entry} name="last" label="Last day">
        {(control) => <Input {...control} type="date" />}
      </EntryField>
    </EntryForm>
  );
}
