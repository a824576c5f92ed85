import type { ReactNode } from "react";

/** One entry of a legend: a mark, and what it stands for. */
export function Key({ size, mark, children }: { size: [number, number]; mark: ReactNode; children: ReactNode }) {
  return (
    <span className="flex items-center gap-1.5">
      <svg width={size[0]} height={size[1]} aria-hidden="true">
        {mark}
      </svg>
      {children}
    </span>
  );
}
