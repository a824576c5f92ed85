import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { ApiError, ask, client, rememberCsrf } from "@/api/client";
import { Compass } from "@/frame/Mark";
import { Field, Input } from "@/ui/Field";
import { Button } from "@/ui/Button";

export function SignIn() {
  const queries = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [missing, setMissing] = useState<string | null>(null);
  const signIn = useMutation({
    mutationFn: () => ask(client.POST("/api/v1/session", { body: { email, password } })),
    onSuccess: (session) => {
      rememberCsrf(session.csrf);
      queries.setQueryData(["session"], session);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (email.trim().length < 3) setMissing("email");
    else if (!password) setMissing("password");
    else {
      setMissing(null);
      signIn.mutate();
    }
  };
  const refused = signIn.error instanceof ApiError ? signIn.error.problem.detail : null;
  return (
    <main className="door">
      <Compass size={48} />
      <h1 className="answer">Upper Compass</h1>
      <p className="quiet">Which channels and pages drive conversions.</p>
      <form className="form" onSubmit={submit} noValidate>
        <Field label="Address" error={missing === "email" ? "Give the address you sign in with." : null}>
          {(control) => (
            <Input {...control} type="email" autoComplete="username" value={email} onChange={(event) => setEmail(event.target.value)} />
          )}
        </Field>
        <Field label="Password" error={missing === "password" ? "Give your password." : missing ? null : refused}>
          {(control) => (
            <Input
              {...control}
              type="password"
              autoComplete="current-password"
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
          )}
        </Field>
        <Button type="submit" kind="primary" disabled={signIn.isPending}>
          {signIn.isPending ? "Signing in …" : "Sign in"}
        </Button>
      </form>
    </main>
  );
}
