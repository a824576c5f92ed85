import { Skeleton } from "@/ui/states";

/** The shape of a ledger that is on its way. */
export function LedgerSkeleton({ rows = 10 }: { rows?: number }) {
  return (
    <div role="status" aria-busy="true" aria-label="Loading">
      {Array.from({ length: rows + 2 }, (_, i) => (
        <Skeleton key={i} className="mt-1.5 mb-[13px] h-3" />
      ))}
    </div>
  );
}
