import { useQuery } from "@tanstack/react-query";

import { ask, client } from "@/api/client";
import { sessionsQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { ErrorState } from "@/ui/states";
import { Actions } from "@/ui/text";
import { moment } from "@/words/format";

/** Where one is signed in; each can be ended. */
export function SessionList() {
  const { site } = useSite();
  const found = useQuery(sessionsQuery);
  const end = useSave("account", (session: number | null) =>
    session === null
      ? ask(client.DELETE("/api/v1/account/sessions"))
      : ask(client.DELETE("/api/v1/account/sessions/{session}", { params: { path: { session } } })),
  );
  const at = (time: string) => moment(Date.parse(time), site.timezone);
  return (
    <Part title="Where you are signed in" isWide aria-label="Where you are signed in">
      {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
      {found.isPending && <LedgerSkeleton rows={2} />}
      <ul>
        {found.data?.map(({ id, browser, since, seen, own }) => (
          <li key={id} className="flex flex-wrap items-baseline gap-x-3 border-b border-hairline py-1.5">
            <span>{browser || "a program"}</span>
            <span className="text-ink-2">
              {own ? "here, " : ""}since {at(since)}
              {!own && `, last used ${at(seen)}`}
            </span>
            {!own && (
              <Button
                kind="link"
                className="ml-auto"
                aria-label={`Sign out ${browser || "a program"}, since ${at(since)}`}
                disabled={end.isPending}
                onClick={() => end.mutate(id)}
              >
                Sign out
              </Button>
            )}
          </li>
        ))}
      </ul>
      <Actions>
        {(found.data?.length ?? 0) > 1 && (
          <Button disabled={end.isPending} onClick={() => end.mutate(null)}>
            Sign out everywhere else
          </Button>
        )}
        {end.error && <FieldError>{end.error.detail}</FieldError>}
      </Actions>
    </Part>
  );
}
