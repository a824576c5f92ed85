import { lazy, Suspense, useState } from "react";

import { Popover } from "@/ui/Popover";

const SavedChoice = lazy(async () => ({ default: (await import("@/app/frame/SavedChoice")).SavedChoice }));
const NarrowingEntry = lazy(async () => ({ default: (await import("@/app/frame/NarrowingEntry")).NarrowingEntry }));

/** Add to the segment: a dimension, then one of its values. */
export function AddNarrowing() {
  const [open, setOpen] = useState(false);
  return (
    <Popover
      open={open}
      onOpenChange={setOpen}
      label="Add to the segment"
      align="end"
      trigger={
        <button
          type="button"
          className="grid size-6 place-items-center rounded-xs border border-hairline-firm"
          aria-label="Add to the segment"
          title="Add to the segment (e)"
          data-key="e"
        >
          <svg width="10" height="10" viewBox="0 0 10 10" aria-hidden="true">
            <path d="M5 0v10M0 5h10" stroke="currentColor" strokeWidth="1.25" />
          </svg>
        </button>
      }
    >
      <Suspense>
        <NarrowingEntry done={() => setOpen(false)} />
        <SavedChoice done={() => setOpen(false)} />
      </Suspense>
    </Popover>
  );
}
