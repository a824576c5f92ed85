import { lazy, Suspense, useEffect, useState } from "react";

import { SHOW_PALETTE } from "@/app/frame/showing";
import { Dialog } from "@/ui/Dialog";
import { Skeleton } from "@/ui/states";

const load = () => import("@/app/frame/Found");
const Found = lazy(async () => ({ default: (await load()).Found }));

/** Finds whatever has a name, and does what can be done from everywhere. */
export function Palette() {
  const [open, setOpen] = useState(false);
  // It comes as soon as somebody is there, so that nothing that is typed into it at once is lost.
  useEffect(() => {
    const ahead = () => void load();
    const kinds = ["pointermove", "keydown", "touchstart"];
    for (const kind of kinds) window.addEventListener(kind, ahead, { once: true });
    return () => {
      for (const kind of kinds) window.removeEventListener(kind, ahead);
    };
  }, []);
  useEffect(() => {
    const show = () => setOpen(true);
    window.addEventListener(SHOW_PALETTE, show);
    return () => window.removeEventListener(SHOW_PALETTE, show);
  }, []);
  return (
    <Dialog open={open} title="Find, or do" onClose={() => setOpen(false)}>
      {open && (
        <Suspense fallback={<Skeleton className="mt-2 h-9" />}>
          <Found onDone={() => setOpen(false)} />
        </Suspense>
      )}
    </Dialog>
  );
}
