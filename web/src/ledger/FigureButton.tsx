import type { ReactNode } from "react";

import type { CellControl } from "@/ledger/columns";

interface FigureButtonProps {
  /** What it is of, and of which row. */
  label: string;
  control?: CellControl;
  onOpen: () => void;
  children: ReactNode;
}

/** A figure in a cell that opens up: with a click, with Enter, or with `o`. */
export function FigureButton({ label, control, onOpen, children }: FigureButtonProps) {
  return (
    <button
      type="button"
      className="decoration-1 underline-offset-3 hover:underline"
      data-opens
      aria-label={`${label}; open up`}
      onClick={onOpen}
      onKeyDown={(event) => {
        if (event.key !== "o") return;
        event.preventDefault();
        onOpen();
      }}
      {...control}
    >
      {children}
    </button>
  );
}
