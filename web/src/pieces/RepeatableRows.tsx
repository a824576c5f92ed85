import { Fragment } from "react";

import { Cross } from "@/pieces/Marks";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";
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
  /** Widths of the columns. */
  className?: string;
  error: (place: number) => string | undefined;
  set: (lines: T[]) => void;
}

/** RepeatableRows of a few fields each, that can be typed into and taken away. */
export function RepeatableRows<T extends object>({
  name,
  columns,
  lines,
  shown,
  canEdit,
  className = "",
  error,
  set,
}: RepeatableRowsProps<T>) {
  const change = (place: number, key: string, value: string) => set(lines.map((one, i) => (i === place ? { ...one, [key]: value } : one)));
  const text = (line: T, key: keyof T) => String(line[key]);
  return (
    <fieldset disabled={!canEdit} className="lines">
      <legend className="sr-only">{name}</legend>
      {(shown ?? lines.map((_, place) => place)).map((place) => {
        const line = lines[place];
        if (!line) return null;
        const [first] = columns.filter((column) => !column.options);
        return (
          <div key={place} className={`line-given ${className}`}>
            {columns.map((column) => (
              <Fragment key={column.key}>
                {column.before && <span className="quiet">{column.before}</span>}
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
              <p className="wrong" role="alert">
                {error(place)}
              </p>
            )}
          </div>
        );
      })}
    </fieldset>
  );
}
