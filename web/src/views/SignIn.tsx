import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState, type FormEvent } from "react";

import { ApiError, ask, client, rememberCsrf } from "@/api/client";
import { Compass } from "@/frame/Mark";

export function SignIn() {
  const id = useId();
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
      <form className="days" onSubmit={submit} noValidate>
        <label htmlFor={`${id}-email`}>Address</label>
        <input
          id={`${id}-email`}
          type="email"
          autoComplete="username"
          value={email}
          onChange={(event) => setEmail(event.target.value)}
          aria-invalid={missing === "email" || undefined}
          aria-describedby={missing === "email" ? `${id}-wrong` : undefined}
        />
        {missing === "email" && (
          <p id={`${id}-wrong`} className="wrong" role="alert">
            Give the address you sign in with.
          </p>
        )}
        <label htmlFor={`${id}-password`}>Password</label>
        <input
          id={`${id}-password`}
          type="password"
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          aria-invalid={missing === "password" || Boolean(refused) || undefined}
          aria-describedby={missing === "password" || refused ? `${id}-refused` : undefined}
        />
        {(missing === "password" || (refused && !missing)) && (
          <p id={`${id}-refused`} className="wrong" role="alert">
            {missing === "password" ? "Give your password." : refused}
          </p>
        )}
        <button type="submit" className="do" disabled={signIn.isPending}>
          {signIn.isPending ? "Signing in …" : "Sign in"}
        </button>
      </form>
    </main>
  );
}
