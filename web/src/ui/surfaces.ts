/** What lies over a view: one ground, one edge, one way a line of it looks. */
export const SURFACE =
  "z-20 max-h-[min(70vh,var(--radix-popper-available-height,70vh))] overflow-auto rounded-xs border border-ink-2 bg-sheet text-ink";
export const ITEM =
  "flex w-full cursor-pointer justify-between gap-4 px-3.5 py-[5px] text-start text-ink outline-none data-highlighted:bg-sea-1 data-[selected=true]:bg-sea-1 data-[disabled='']:opacity-60";
export const VEIL = "fixed inset-0 z-25 bg-ink/30";
