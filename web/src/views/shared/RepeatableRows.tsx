import { clsx } from "clsx";
import { Fragment, memo, useCallback, useEffect, useRef, useState } from "react";

import { SearchInput } from "@/ledger/SearchInput";
import { Button } from "@/ui/Button";
import { FieldError, Input } from "@/ui/Field";
import { Cross } from "@/ui/icons";
import { Select } from "@/ui/Select";
import { plural } from "@/words/format";

export interface Column<T> {
  key: keyof T & string;
  label: string;
  /** The values to choose from; without them it is typed. */
  options?: readonly string[];
  placeholder?: string;
  /** A word that stands before it. */
  before?: string;
}

interface RepeatableRowsProps<T> {
  name: string;
  /** What a line is, one and several, where there may be very many: then the newest are shown, and the others can be looked for. */
  noun?: readonly [string, string];
  columns: Column<T>[];
  lines: T[];
  canEdit: boolean;
  /** Widths of the columns, and of the line. */
  layout: string;
  error: (place: number) => string | undefined;
  set: (lines: T[]) => void;
}

const SHOWN_AT_FIRST = 12;
const MORE = 100;

/** Lines of a few fields each, that can be typed into and taken away. */
export function RepeatableRows<T extends object>({ name, noun, columns, lines, canEdit, layout, error, set }: RepeatableRowsProps<T>) {
  const [query, setQuery] = useState("");
  const [count, setCount] = useState(SHOWN_AT_FIRST);
  const found = useFound(lines, columns, query);
  const latest = useRef({ lines, set });
  useEffect(() => {
    latest.current = { lines, set };
  });
  // The same functions for as long as it is shown, so that a key draws the one line that it changes.
  const change = useCallback((place: number, key: string, value: string) => {
    const { lines: before, set: keep } = latest.current;
    keep(before.map((one, i) => (i === place ? { ...one, [key]: value } : one)));
  }, []);
  const remove = useCallback((place: number) => latest.current.set(latest.current.lines.filter((_, i) => i !== place)), []);
  const from = noun ? Math.max(0, found.length - count) : 0;
  // What is wrong is shown wherever it stands.
  const shown = found.filter((place, i) => i >= from || error(place) !== undefined);
  const left = found.length - shown.length;
  return (
    <>
      {noun && lines.length > SHOWN_AT_FIRST && <SearchInput what={noun[1]} query={query} set={setQuery} />}
      {noun && left > 0 && (
        <Button kind="link" onClick={() => setCount(count + MORE)}>
          {plural(left, `earlier ${noun[0]}`, `earlier ${noun[1]}`)}
        </Button>
      )}
      <fieldset disabled={!canEdit} className="grid gap-1.5">
        <legend className="sr-only">{name}</legend>
        {shown.map((place) => {
          const line = lines[place];
          const parts = { columns, layout, place, change, remove };
          return line && <Line key={place} {...parts} line={line as Record<string, unknown>} error={error(place)} />;
        })}
      </fieldset>
    </>
  );
}

/** Places of the lines that hold what is looked for; a line that is changed stays where it is until something else is looked for. */
function useFound<T extends object>(lines: T[], columns: Column<T>[], query: string): number[] {
  const wanted = query.trim().toLowerCase();
  const look = () => ({
    wanted,
    length: lines.length,
    places: lines.flatMap((line, place) => (holds(line, columns, wanted) ? [place] : [])),
  });
  const [last, setLast] = useState(look);
  if (last.wanted === wanted && last.length === lines.length) return last.places;
  const now = look();
  setLast(now);
  return now.places;
}

/** Whether a line holds a text; one that was just added holds everything. */
const holds = <T extends object>(line: T, columns: Column<T>[], wanted: string): boolean =>
  columns.some(({ key }) => String(line[key]).toLowerCase().includes(wanted)) ||
  columns.every(({ key, options }) => options ?? line[key] === "");

interface LineProps {
  columns: { key: string; label: string; options?: readonly string[]; placeholder?: string; before?: string }[];
  layout: string;
  line: Record<string, unknown>;
  place: number;
  error: string | undefined;
  change: (place: number, key: string, value: string) => void;
  remove: (place: number) => void;
}

const Line = memo(
  function Line({ columns, layout, line, place, error, change, remove }: LineProps) {
    const [first] = columns.filter((column) => !column.options);
    const text = (key: string) => String(line[key]);
    return (
      <div className={clsx("grid items-center gap-x-2 gap-y-1.5", layout)}>
        {columns.map((column) => (
          <Fragment key={column.key}>
            {column.before && <span className="text-ink-2">{column.before}</span>}
            {column.options ? (
              <Select
                aria-label={column.label}
                value={text(column.key)}
                onChange={(to) => change(place, column.key, to)}
                options={column.options}
              />
            ) : (
              <Input
                aria-label={column.label}
                aria-invalid={Boolean(error)}
                value={text(column.key)}
                placeholder={column.placeholder}
                onChange={(event) => change(place, column.key, event.target.value)}
              />
            )}
          </Fragment>
        ))}
        <Button kind="icon" aria-label={`Remove ${(first && text(first.key)) || "the line"}`} onClick={() => remove(place)}>
          <Cross />
        </Button>
        {error && (
          <div className="col-span-full">
            <FieldError>{error}</FieldError>
          </div>
        )}
      </div>
    );
  },
  // A form hands out copies of its lines, so they are told apart by what stands in them.
  (a, b) => a.place === b.place && a.error === b.error && a.columns.every(({ key }) => a.line[key] === b.line[key]),
);
