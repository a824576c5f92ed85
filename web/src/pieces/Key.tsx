import type { ReactNode } from "react";

/** One entry of a legend: a mark, and what it stands for. */
export function Key({ size, mark, children }: { size: [number, number]; mark: ReactNode; children: ReactNode }) {
  return (
    <span>
      <svg width={size[0]} height={size[1]} aria-hidden="true">
        {mark}
      </svg>
      {children}
    </span>
  );
}
