import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { Suspense, useState } from "react";

import { api, ask, client, rememberCsrf, type Schemas, type Session } from "@/api/client";
import { sessionQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { HOME } from "@/state/paths";
import { Button } from "@/ui/Button";
import { Compass } from "@/ui/Compass";
import { Door } from "@/ui/Door";
import { FieldError, Input } from "@/ui/Field";
import { ErrorState } from "@/ui/states";
import { Answer } from "@/ui/text";
import { PASSWORD_HINT } from "@/views/account/PasswordForm";
import { ByProvider } from "@/views/start/ByProvider";
import { SignInForm } from "@/views/start/SignIn";
import { longDay } from "@/words/format";
import { ROLES } from "@/words/people";

/** Where a link leads that lets somebody in. What lets them in stands behind the #, which browsers tell no server. */
export function Invited() {
  return (
    <Suspense fallback={<Door aria-busy="true" />}>
      <ByLink secret={location.hash.slice(1)} />
    </Suspense>
  );
}

function ByLink({ secret }: { secret: string }) {
  const session = useQuery(sessionQuery);
  const found = useQuery(
    api.queryOptions("post", "/api/v1/invitations/looked-up", { body: { secret } }, { enabled: secret.length >= 20, retry: false }),
  );
  if (secret.length < 20 || found.isError)
    return (
      <Door>
        <Answer>This link lets nobody in.</Answer>
        {found.isError ? (
          <ErrorState error={found.error} again={() => void found.refetch()} />
        ) : (
          <p>A part of it is missing: copy it whole, with what stands behind the #.</p>
        )}
        <Link to="/">To your sites</Link>
      </Door>
    );
  if (!found.data || session.isPending) return <Door aria-busy="true" />;
  const { site, role, by, until } = found.data;
  return (
    <Door>
      <Compass size={48} />
      <Answer>
        {by ?? "An owner"} lets you in to {site}.
      </Answer>
      <p>
        Your role there is {ROLES[role]}. The link works once, until {longDay(until.slice(0, 10))}.
      </p>
      {session.data ? <Accept secret={secret} session={session.data} /> : <Enter secret={secret} />}
    </Door>
  );
}

/** Whoever is signed in comes in as they are. */
function Accept({ secret, session }: { secret: string; session: Session }) {
  const navigate = useNavigate();
  const accept = useSave(
    "everything",
    () => ask(client.POST("/api/v1/invitations/accepted", { body: { secret } })),
    ({ key }) => void navigate({ to: HOME, params: { site: key }, search: {}, hash: "" }),
  );
  return (
    <>
      <Button kind="primary" disabled={accept.isPending} onClick={() => accept.mutate(undefined)}>
        Come in as {session.name}
      </Button>
      {accept.error && <FieldError>{accept.error.detail}</FieldError>}
    </>
  );
}

/** Whoever has an account signs in and then comes in with it; all others make one. */
function Enter({ secret }: { secret: string }) {
  const [hasAccount, setAccount] = useState(false);
  return (
    <>
      {hasAccount ? <SignInForm /> : <Join secret={secret} />}
      <Button kind="link" onClick={() => setAccount(!hasAccount)}>
        {hasAccount ? "I have no account here" : "I have an account here"}
      </Button>
      <ByProvider invitation={secret} />
    </>
  );
}

/** Whoever has no account yet makes one. */
function Join({ secret }: { secret: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const enter = (session: Schemas["SessionOut"]) => {
    rememberCsrf(session.csrf);
    queries.setQueryData(sessionQuery.queryKey, session);
    void navigate({ to: "/", hash: "" });
  };
  const entry = useEntry({
    values: { name: "", email: "", password: "" },
    check: ({ name, email, password }) => ({
      ...(name.trim() ? {} : { name: "Give the name that others shall see." }),
      ...(email.trim().length >= 3 ? {} : { email: "Give the e-mail address you will sign in with." }),
      ...(password ? {} : { password: "Give a password." }),
    }),
    send: ({ name, email, password }) =>
      ask(client.POST("/api/v1/invitations/joined", { body: { secret, name, email: email.trim(), password } })),
    after: enter,
    touches: "nothing",
  });
  return (
    <EntryForm
      entry={entry}
      label="Your account"
      className="w-full max-w-[340px] py-2"
      foot={
        <Button type="submit" kind="primary" disabled={entry.isSending}>
          {entry.isSending ? "Coming in …" : "Come in"}
        </Button>
      }
    >
      <EntryField entry={entry} name="name" label="Your name">
        {(control) => <Input {...control} maxLength={100} autoComplete="name" />}
      </EntryField>
      <EntryField entry={entry} name="email" label="E-mail address">
        {(control) => <Input {...control} type="email" maxLength={200} autoComplete="username" />}
      </EntryField>
      <EntryField entry={entry} name="password" label="Password" hint={PASSWORD_HINT}>
        {(control) => <Input {...control} type="password" maxLength={200} autoComplete="new-password" />}
      </EntryField>
    </EntryForm>
  );
}
