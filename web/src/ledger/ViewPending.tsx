import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { Answer } from "@/ui/text";

/** A view of which nothing is there yet: its code, or what it is read with. */
export const ViewPending = () => (
  <div className="grid gap-3">
    <Answer aria-busy="true"> </Answer>
    <LedgerSkeleton />
  </div>
);
