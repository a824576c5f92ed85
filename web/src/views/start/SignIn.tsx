import { useQueryClient } from "@tanstack/react-query";
import { Door } from "@/ui/Door";

import { ask, client, rememberCsrf } from "@/api/client";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { Compass } from "@/ui/Compass";
import { Input } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { Answer } from "@/ui/text";

export function SignIn() {
  return (
    <Door>
      <Compass size={48} />
      <Answer>Upper Compass</Answer>
      <p className="text-ink-2">Which channels and pages drive conversions.</p>
      <SignInForm />
    </Door>
  );
}

/** Who signs in is let in to whatever stands around it. */
export function SignInForm() {
  const queries = useQueryClient();
  const entry = useEntry({
    values: { email: "", password: "" },
    send: (body) => ask(client.POST("/api/v1/session", { body })),
    check: ({ email, password }) => {
      if (email.trim().length < 3) return { email: "Give the e-mail address you sign in with." };
      return password ? {} : { password: "Give your password." };
    },
    after: (session) => {
      rememberCsrf(session.csrf);
      queries.setQueryData(["session"], session);
    },
    touches: "nothing",
  });
  return (
    <EntryForm
      entry={entry}
      label="Sign in"
      className="w-full max-w-[340px] py-2"
      foot={
        <Button type="submit" kind="primary" disabled={entry.isSending}>
          {entry.isSending ? "Signing in …" : "Sign in"}
        </Button>
      }
    >
      <EntryField entry={entry} name="email" label="E-mail address">
        {(control) => <Input {...control} type="email" autoComplete="username" />}
      </EntryField>
      <EntryField entry={entry} name="password" label="Password">
        {(control) => <Input {...control} type="password" autoComplete="current-password" />}
      </EntryField>
    </EntryForm>
  );
}
