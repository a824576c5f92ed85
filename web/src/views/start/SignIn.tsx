import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { flushSync } from "react-dom";

import { ApiError, ask, client, rememberCsrf } from "@/api/client";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { Compass } from "@/ui/Compass";
import { Door } from "@/ui/Door";
import { Input } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { Answer } from "@/ui/text";
import { ByProvider } from "@/views/start/ByProvider";

export function SignIn() {
  return (
    <Door>
      <Compass size={48} />
      <Answer>Upper Compass</Answer>
      <p className="text-ink-2">Which channels and pages drive conversions.</p>
      <SignInForm />
      <ByProvider />
    </Door>
  );
}

const wantsCode = (error: unknown): boolean => error instanceof ApiError && error.errors.some(({ field }) => field === "code");

/** Who signs in is let in to whatever stands around it. A code is asked for once the server says that the account has a second factor. */
export function SignInForm() {
  const queries = useQueryClient();
  const [asksCode, setAsksCode] = useState(false);
  const entry = useEntry({
    values: { email: "", password: "", code: "" },
    send: async ({ email, password, code }) => {
      try {
        return await ask(client.POST("/api/v1/session", { body: { email, password, ...(asksCode && code.trim() ? { code } : {}) } }));
      } catch (error) {
        // The field stands before what is said of it.
        if (wantsCode(error)) flushSync(() => setAsksCode(true));
        throw error;
      }
    },
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
      {asksCode && (
        <EntryField entry={entry} name="code" label="Code" hint="Six digits of your device, or one of your recovery codes.">
          {(control) => <Input {...control} maxLength={40} autoComplete="one-time-code" spellCheck={false} />}
        </EntryField>
      )}
    </EntryForm>
  );
}
