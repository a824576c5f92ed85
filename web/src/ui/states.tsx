import { clsx } from "clsx";
import { Progress as Radix } from "radix-ui";
import type { ReactNode } from "react";

import { Button } from "@/ui/Button";

/** Nothing yet, and what brings it. */
export function EmptyState({ title, children }: { title?: string; children: ReactNode }) {
  return (
    <div className="grid max-w-[60ch] justify-items-start gap-2 py-3">
      {title && <h2 className="font-serif text-title font-[560]">{title}</h2>}
      {children}
    </div>
  );
}

/** What happened, what was kept, and what to do. */
export function ErrorState({ text, again }: { text: string; again: () => void }) {
  return (
    <div className="grid max-w-[60ch] gap-2 border-l-2 border-rust-mark px-4 py-3" role="alert">
      <p>{text}</p>
      <Button kind="primary" onClick={again}>
        Try again
      </Button>
    </div>
  );
}

/** The shape of what comes. */
export function Skeleton({ className }: { className?: string }) {
  return <div aria-hidden="true" className={clsx("rounded-xs bg-hairline/50 motion-safe:animate-pulse", className)} />;
}

/** Work that takes more than a second: what it does, and how far it is (0 to 1; null while nobody knows). */
export function Progress({ label, value }: { label: string; value: number | null }) {
  const percent = value === null ? null : Math.round(Math.min(Math.max(value, 0), 1) * 100);
  return (
    <div className="grid gap-1">
      <span className="text-label text-ink-2">
        {label}
        {percent !== null && ` · ${percent} %`}
      </span>
      <Radix.Root aria-label={label} value={percent} className="h-1 overflow-hidden rounded-xs bg-hairline">
        <Radix.Indicator
          className={clsx("h-full bg-teal", percent === null && "w-1/3 motion-safe:animate-pulse")}
          style={percent === null ? undefined : { width: `${percent}%` }}
        />
      </Radix.Root>
    </div>
  );
}
