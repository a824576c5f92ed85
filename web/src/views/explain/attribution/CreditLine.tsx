import { clsx } from "clsx";
import type { ReactNode } from "react";

import type { Row } from "@/api/client";
import { PairMark } from "@/charts/PairMark";
import { FIRST, idAt, LAST, type CreditColumn } from "@/views/explain/attribution/columns";
import type { OpenedCell } from "@/views/explain/attribution/openedCell";
import { RowItems } from "@/views/shared/RowLeads";
import { FigureButton } from "@/ledger/FigureButton";
import { Button } from "@/ui/Button";
import { Dots } from "@/ui/icons";
import { Menu } from "@/ui/Menu";
import { credit, mostly, points } from "@/words/attribution";
import { figure, valueWords } from "@/words/format";

export const MARKS = 104;

/** What stands in a cell, and what is known of it. */
type CellFigures = Omit<OpenedCell, "place" | "path">;
export type Opens = (place: number, path: readonly { dimension: string; value: string }[], figures: CellFigures) => void;

export type Shares = (row: Pick<Row, "values" | "before">, place: number) => { now: number | null; against: number | null };

export const nameOf = (dimension: string, value: string): string => (value === "" ? "unattributed" : valueWords(dimension, value));

export interface LineProps {
  row: Row;
  /** Its values, of the row that it lies below first. */
  path: readonly { dimension: string; value: string }[];
  onOpen: Opens;
  columns: readonly CreditColumn[];
  sharesOf: Shares;
  /** Whether credit is told as a share of its column. */
  asShares: boolean;
  top: number;
  /** Whether its figures are of before, while others are being read. */
  isHeld?: boolean;
  children: ReactNode;
}

/** A row of credit: its cells for each column, and where it mostly stands. */
export function Line({ row, path, onOpen, columns, sharesOf, asShares, top, isHeld = false, children }: LineProps) {
  const depth = path.length - 1;
  const name = path.map((one) => nameOf(one.dimension, one.value)).join(", ");
  return (
    <tr className="held group border-b border-hairline" data-level={depth + 1} aria-busy={isHeld}>
      <th scope="row" className="max-w-52 py-0.5 text-start font-normal">
        <span className={clsx("flex min-w-0 items-center gap-1", depth > 0 && "ml-2.5 border-l border-ink-2 pl-5")}>
          {children}
          {path.at(-1)?.value !== "" && (
            <span className="ml-auto">
              <Menu
                trigger={
                  <Button
                    kind="icon"
                    className="group-hover:opacity-100 focus-visible:opacity-100 data-[state=open]:opacity-100 [@media(hover:hover)]:opacity-0"
                    aria-label={`Actions for ${name}`}
                  >
                    <Dots />
                  </Button>
                }
              >
                <RowItems title="Credit" places={[...path]} />
              </Menu>
            </span>
          )}
        </span>
      </th>
      {columns.map((_, place) => {
        const { now, against } = sharesOf(row, place);
        return (
          <Cells
            key={place}
            label={`${name}, column ${place + 1}`}
            value={row.values[idAt(place)]}
            isFew={row.few.includes(idAt(place))}
            interval={row.interval[idAt(place)]}
            removal={row.removal?.[idAt(place)]}
            {...{ now, against, asShares, top }}
            onOpen={(figures) => onOpen(place, path, figures)}
          />
        );
      })}
      <td className="border-l border-hairline pl-3 text-label text-ink-2">
        {mostly(row.values[FIRST] ?? 0, row.values[LAST] ?? 0) || "–"}
      </td>
    </tr>
  );
}

interface CellsProps {
  label: string;
  value: number | null | undefined;
  now: number | null;
  against: number | null;
  asShares: boolean;
  top: number;
  /** Whether it rests on too little to say. */
  isFew: boolean;
  interval: CellFigures["interval"];
  removal: CellFigures["removal"];
  onOpen: (figures: CellFigures) => void;
}

function Cells({ label, value, now, against, asShares, top, isFew, interval, removal, onOpen }: CellsProps) {
  const figures: CellFigures = {
    credit: value ?? 0,
    ...(against === null ? {} : { against }),
    ...(removal ? { removal } : {}),
    ...(interval ? { interval } : {}),
  };
  const text = asShares ? figure(now, "percent") : credit(value);
  return (
    <>
      <td className="border-l border-hairline pl-3 text-end font-semibold">
        {value == null ? (
          credit(value)
        ) : (
          <FigureButton label={`${label}: ${isFew ? "few " : ""}${text}`} onOpen={() => onOpen(figures)}>
            {isFew && <span className="font-normal text-ink-2">few </span>}
            {text}
          </FigureButton>
        )}
      </td>
      <td className="pl-2 text-end text-ink-2">
        {now === null || against === null ? (
          points(now, against)
        ) : (
          <FigureButton label={`${label}: ${points(now, against)} points`} onOpen={() => onOpen(figures)}>
            {points(now, against)}
          </FigureButton>
        )}
      </td>
      <td className="pl-2">
        {now !== null && <PairMark now={now} against={against ?? now} top={top} width={MARKS} interval={interval} />}
      </td>
    </>
  );
}
