import type { CellControl } from "@/ledger/columns";
import { FigureButton } from "@/ledger/FigureButton";
import { useOpenUp, type Opened } from "@/views/shared/OpenedUp";

interface OpenedCellProps {
  /** What its row is called. */
  row: string;
  /** The figure as it is shown; nothing has nothing to open. */
  text: string;
  opened: Opened | null;
  /** What it bears in a grid. */
  control?: CellControl;
}

/** A figure in the row of a list, which opens up. */
export function OpenedCell({ row, text, opened, control }: OpenedCellProps) {
  const openUp = useOpenUp();
  if (!text || !opened) return <span {...control}>{text}</span>;
  return (
    <FigureButton label={`${row}, ${opened.title}: ${text}`} {...(control ? { control } : {})} onOpen={() => openUp(opened)}>
      {text}
    </FigureButton>
  );
}
