import { useQueryClient } from "@tanstack/react-query";

import { ask, client } from "@/api/client";
import { accountQuery, providerQuery, sessionQuery } from "@/api/queries";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { useQuery } from "@tanstack/react-query";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";
import { Part, Sides } from "@/ui/layout";
import { Answer } from "@/ui/text";
import { AccountChanges } from "@/views/account/AccountChanges";
import { DeletedSites } from "@/views/account/DeletedSites";
import { PasswordForm } from "@/views/account/PasswordForm";
import { SecondFactor } from "@/views/account/SecondFactor";
import { SessionList } from "@/views/account/SessionList";
import { Tokens } from "@/views/account/Tokens";

/** One's own account: name and password, where one is signed in, and what programs may do in one's name. */
export function Account() {
  const session = useQuery(sessionQuery);
  const account = useQuery(accountQuery);
  const provider = useQuery(providerQuery);
  const queries = useQueryClient();
  const { name = "", email = "" } = session.data ?? {};
  const entry = useEntry({
    values: { name },
    check: (given) => (given.name.trim() ? {} : { name: "Give a name, so that others know who changed what." }),
    send: (body) => ask(client.PUT("/api/v1/account", { body })),
    becomes: (saved): { name: string } => ({ name: saved.name }),
    after: (saved) => queries.setQueryData(sessionQuery.queryKey, (was) => (was ? { ...was, name: saved.name } : was)),
    touches: "account",
  });
  return (
    <Sides>
      <Answer>
        You are {name}, {email}.
      </Answer>
      <div className="grid gap-7">
        <Tokens />
        <SessionList />
        <AccountChanges />
      </div>
      <div className="grid gap-7">
        <Part title="Your name" aria-label="Your name">
          <EntryForm
            entry={entry}
            label="Your name"
            foot={
              <>
                <Button kind="primary" type="submit" disabled={entry.isSending}>
                  Save
                </Button>
                {entry.isSent && <span role="status">Saved.</span>}
              </>
            }
          >
            <EntryField entry={entry} name="name" label="Name" hint="It stands beside what you make and change.">
              {(control) => <Input {...control} maxLength={100} autoComplete="name" />}
            </EntryField>
          </EntryForm>
        </Part>
        {account.data?.has_password === false ? (
          <Part title="Password" aria-label="Password">
            <p className="text-ink-2">You have none: you sign in with {provider.data?.name ?? "the provider of your organisation"}.</p>
          </Part>
        ) : (
          <>
            <PasswordForm />
            <SecondFactor />
          </>
        )}
        <DeletedSites />
      </div>
    </Sides>
  );
}
