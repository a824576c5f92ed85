import { useEffect, useRef, useState, type ReactNode } from "react";

import { Chevron } from "@/ui/icons";

/** A sign at the right edge while more columns lie there. */
export function MoreBeside({ children }: { children: ReactNode }) {
  const around = useRef<HTMLDivElement>(null);
  const [more, setMore] = useState(false);
  useEffect(() => {
    const box = around.current?.firstElementChild;
    if (!box) return;
    const look = () => setMore(box.scrollWidth - box.clientWidth - box.scrollLeft > 4);
    const watch = new ResizeObserver(look);
    watch.observe(box);
    if (box.firstElementChild) watch.observe(box.firstElementChild);
    box.addEventListener("scroll", look, { passive: true });
    return () => {
      watch.disconnect();
      box.removeEventListener("scroll", look);
    };
  }, []);
  return (
    <div ref={around} className="relative min-w-0">
      {children}
      {more && (
        <span
          aria-hidden="true"
          className="pointer-events-none absolute inset-y-0 right-0 z-3 grid w-7 justify-items-end bg-linear-to-r from-transparent to-sheet pt-1.5 pr-0.5 text-ink-2"
        >
          <span className="self-start -rotate-90">
            <Chevron />
          </span>
        </span>
      )}
    </div>
  );
}
