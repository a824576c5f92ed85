import { clsx } from "clsx";
import type { ReactNode } from "react";

import { Button } from "@/ui/Button";
import { Cross } from "@/ui/icons";

interface ChipProps {
  /** The whole of it, where it is too long to be shown. */
  title: string;
  /** What taking it off is called. */
  away: string;
  onAway: () => void;
  isDashed?: boolean;
  isDimmed?: boolean;
  children: ReactNode;
}

/** Something that was chosen, and can be taken off. */
export function Chip({ title, away, onAway, isDashed = false, isDimmed = false, children }: ChipProps) {
  return (
    <span
      data-chip={isDashed ? "without" : "only"}
      className={clsx(
        "inline-flex h-6 max-w-80 items-center rounded-xs border pr-0.5 pl-2 text-label leading-[22px] font-medium",
        isDimmed ? "border-hairline-firm text-ink-2" : "border-magenta text-magenta",
        isDashed ? "border-dashed" : !isDimmed && "bg-magenta-wash",
      )}
    >
      <span className="truncate" title={title}>
        {children}
      </span>
      <Button kind="icon" className="text-inherit" aria-label={away} onClick={onAway}>
        <Cross />
      </Button>
    </span>
  );
}
