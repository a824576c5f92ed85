import { useQueryClient } from "@tanstack/react-query";
import { clsx } from "clsx";
import { Progress as Radix } from "radix-ui";
import type { ComponentProps, ReactNode } from "react";

import { Button } from "@/ui/Button";
import { Answer } from "@/ui/text";

/** Nothing yet, and what brings it. */
export function EmptyState({ title, children }: { title?: string; children: ReactNode }) {
  return (
    <div className="grid max-w-[60ch] justify-items-start gap-2 py-3">
      {title && <h2 className="font-serif text-title font-[560]">{title}</h2>}
      {children}
    </div>
  );
}

/** Nothing yet, in a sentence that says what brings it. */
export function EmptyNote({ children }: { children: ReactNode }) {
  return (
    <p className="max-w-[46ch] py-5 text-ink-2" data-empty>
      {children}
    </p>
  );
}

/** What happened, what was kept, and what to do: in the server's words, where it said any. */
export function ErrorState({ error, again }: { error: Error | { detail: string; request?: string | null } | null; again: () => void }) {
  const queries = useQueryClient();
  // An answer of the server comes with its problem; anything else is a fault of the page, which says nothing to its readers.
  const text = error && "detail" in error ? error.detail : "This part of the page failed. What you chose is kept in the address.";
  return (
    <div className="grid max-w-[60ch] content-start gap-2 self-start border-l-2 border-rust-mark px-4 py-3" role="alert">
      <p>{text}</p>
      {error && "request" in error && error.request && (
        <p className="text-label text-ink-2">
          The log of the server knows it as <code className="select-all">{error.request}</code>.
        </p>
      )}
      <Button
        kind="primary"
        onClick={() => {
          again();
          // What failed beside it is asked for with it: a view asks for most of what it shows at once.
          void queries.refetchQueries({ type: "active", predicate: (one) => one.state.status === "error" }, { cancelRefetch: false });
        }}
      >
        Try again
      </Button>
    </div>
  );
}

/** A view that cannot be read, in its answer's place. */
export function ViewError(props: ComponentProps<typeof ErrorState>) {
  return (
    <div className="col-span-full grid gap-3">
      <Answer>This cannot be read just now.</Answer>
      <ErrorState {...props} />
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
