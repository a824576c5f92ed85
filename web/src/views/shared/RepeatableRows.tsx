import { clsx } from "clsx";
import { Fragment } from "react";

import { Cross } from "@/ui/icons";
import { Button } from "@/ui/Button";
import { FieldError, Input } from "@/ui/Field";
import { Select } from "@/ui/Select";

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
  columns: Column<T>[];
  lines: T[];
  /** Which of the lines are shown; all of them without. */
  shown?: number[];
  canEdit: boolean;
  /** Widths of the columns, and of the line. */
  layout: string;
  error: (place: number) => string | undefined;
  set: (lines: T[]) => void;
}

/** RepeatableRows of a few fields each, that can be typed into and taken away. */
export function RepeatableRows<T extends object>({ name, columns, lines, shown, canEdit, layout, error, set }: RepeatableRowsProps<T>) {
  const change = (place: number, key: string, value: string) => set(lines.map((one, i) => (i === place ? { ...one, [key]: value } : one)));
  const text = (line: T, key: keyof T) => String(line[key]);
  return (
    <fieldset disabled={!canEdit} className="grid gap-1.5">
      <legend className="sr-only">{name}</legend>
      {(shown ?? lines.map((_, place) => place)).map((place) => {
        const line = lines[place];
        if (!line) return null;
        const [first] = columns.filter((column) => !column.options);
        return (
          <div key={place} className={clsx("grid items-center gap-x-2 gap-y-1.5", layout)}>
            {columns.map((column) => (
              <Fragment key={column.key}>
                {column.before && <span className="text-ink-2">{column.before}</span>}
                {column.options ? (
                  <Select
                    aria-label={column.label}
                    value={text(line, column.key)}
                    onChange={(to) => change(place, column.key, to)}
                    options={column.options}
                  />
                ) : (
                  <Input
                    aria-label={column.label}
                    aria-invalid={Boolean(error(place))}
                    value={text(line, column.key)}
                    placeholder={column.placeholder}
                    onChange={(event) => change(place, column.key, event.target.value)}
                  />
                )}
              </Fragment>
            ))}
            <Button
              kind="icon"
              aria-label={`Remove ${(first && text(line, first.key)) || "the line"}`}
              onClick={() => set(lines.filter((_, i) => i !== place))}
            >
              <Cross />
            </Button>
            {error(place) && (
              <div className="col-span-full">
                <FieldError>{error(place)}</FieldError>
              </div>
            )}
          </div>
        );
      })}
    </fieldset>
  );
}
