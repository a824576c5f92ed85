import type { ReactNode } from "react";

import type { LedgerColumn } from "@/ledger/columns";
import { ColumnsChoice } from "@/ledger/ColumnsChoice";
import { useLayout } from "@/ledger/layout";

interface ChosenColumns<Row> {
  columns: LedgerColumn<Row>[];
  widths: Record<string, number>;
  onWidths: (widths: Record<string, number>) => void;
  /** Where they are chosen. */
  choice: ReactNode;
}

/** The columns of a list as they were chosen, ordered and widened in this browser. The first names the row and stays; one without a head stays last. */
export function useChosenColumns<Row>(name: string, columns: LedgerColumn<Row>[]): ChosenColumns<Row> {
  const [first, ...others] = columns;
  const choosable = others.filter((column) => !column.isHeadUnseen);
  const usual = choosable.map((column) => column.id);
  const { layout, isUsual, set } = useLayout(name, usual, (id) => columns.some((column) => column.id === id));
  const chosen = layout.shown.filter((id) => usual.includes(id));
  const shown = chosen.length ? chosen : usual;
  const named = (id: string) => choosable.find((column) => column.id === id);
  const words = (id: string) => named(id)?.head ?? id;
  const hidden = usual.filter((id) => !shown.includes(id)).map((id) => ({ id, label: words(id) }));
  return {
    columns: [...(first ? [first] : []), ...shown.flatMap((id) => named(id) ?? []), ...others.filter((column) => column.isHeadUnseen)],
    widths: layout.widths,
    onWidths: (widths) => set({ shown, widths }),
    choice: choosable.length > 1 && (
      <ColumnsChoice
        words={words}
        shown={shown}
        more={hidden.length ? [{ options: hidden }] : []}
        isUsual={isUsual}
        onShown={(to) => set({ ...layout, shown: to })}
        onUsual={() => set(null)}
      />
    ),
  };
}
