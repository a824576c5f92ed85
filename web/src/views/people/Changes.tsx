import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";

import { changesFile } from "@/api/exports";
import { changesQuery } from "@/api/queries";
import { FileMenu } from "@/ledger/FileMenu";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { SearchInput } from "@/ledger/SearchInput";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { Button } from "@/ui/Button";
import { Stack } from "@/ui/layout";
import { EmptyNote, ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { ChangeLine } from "@/views/shared/ChangeLine";
import { moment } from "@/words/format";

/** Who changed what, when, from which value to which. */
export function Changes() {
  const { site } = useSite();
  const [typed, setTyped] = useState("");
  const looked = useDebouncedValue(typed.trim(), 250);
  const isOwner = can(site, "own");
  const found = useInfiniteQuery({ ...changesQuery(site.key, looked), enabled: isOwner });
  if (!isOwner)
    return (
      <Stack>
        <Answer>Who changed what is for the owners of {site.name}.</Answer>
      </Stack>
    );
  if (found.isError) return <ViewError error={found.error} again={() => void found.refetch()} />;
  const changes = found.data?.pages.flatMap((page) => page.changes) ?? [];
  const newest = changes[0];
  return (
    <Stack>
      <Answer aria-busy={found.isPending}>
        {!found.data
          ? " "
          : newest
            ? `${newest.by ?? "Somebody"} made the ${looked ? "newest of these changes" : "newest change"}, ${moment(Date.parse(newest.at), site.timezone)}.`
            : looked
              ? "No change has this in it."
              : "Nothing has been changed yet."}
      </Answer>
      <div className="flex flex-wrap items-center gap-3">
        <SearchInput what="a change" query={typed} set={setTyped} />
        <span className="ml-auto text-label">
          <FileMenu
            title={`Changes of ${site.name}`}
            choices={[
              {
                words: looked ? "every change with this in it" : "every change",
                make: (format) => changesFile(site.key, format, looked),
              },
            ]}
          />
        </span>
      </div>
      {found.isPending && <LedgerSkeleton rows={10} />}
      {found.data && changes.length === 0 && (
        <EmptyNote>Every change of settings, goals, rules, links, segments and people stands here, with who made it.</EmptyNote>
      )}
      <ol aria-label="Changes" className="border-t border-hairline">
        {changes.map((one) => (
          <ChangeLine key={one.id} change={one} showsWho />
        ))}
      </ol>
      {found.hasNextPage && (
        <Button className="justify-self-start" disabled={found.isFetchingNextPage} onClick={() => void found.fetchNextPage()}>
          {found.isFetchingNextPage ? "Reading …" : "Show older ones"}
        </Button>
      )}
    </Stack>
  );
}
