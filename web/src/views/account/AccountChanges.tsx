import { useQuery } from "@tanstack/react-query";

import { accountChangesQuery } from "@/api/queries";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { Part } from "@/ui/layout";
import { EmptyNote, ErrorState } from "@/ui/states";
import { ChangeLine } from "@/views/shared/ChangeLine";

/** What was changed of one's own account: who was not there can see it. */
export function AccountChanges() {
  const found = useQuery(accountChangesQuery);
  return (
    <Part title="What was changed of your account" isWide aria-label="What was changed of your account">
      {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
      {found.isPending && <LedgerSkeleton rows={2} />}
      {found.data?.length === 0 && <EmptyNote>Nothing yet. Another name, password or way to sign in stands here with its time.</EmptyNote>}
      <ol>
        {found.data?.map((one) => (
          <ChangeLine key={one.id} change={one} />
        ))}
      </ol>
    </Part>
  );
}
