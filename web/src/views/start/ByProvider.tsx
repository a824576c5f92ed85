import { useQuery } from "@tanstack/react-query";

import { ask, client } from "@/api/client";
import { providerQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";

/** Why nobody came in, by what the address says when one is sent back. */
const REFUSALS: Record<string, (provider: string) => string> = {
  "#away": (provider) => `${provider} did not say who you are. Try again, or sign in with a password.`,
  "#stopped": (provider) => `You stopped at ${provider}. Nobody was signed in.`,
  "#stale": () => "That took too long, or was begun in another browser. Begin again.",
  "#unknown": (provider) => `${provider} told who you are, but nobody let you in here yet. Ask an owner of the site for a link.`,
};

/** Another way in, where one is set. `invitation`: the link that one holds. */
export function ByProvider({ invitation }: { invitation?: string }) {
  const provider = useQuery(providerQuery);
  const begin = useSave(
    "nothing",
    () => ask(client.POST("/api/v1/openid/begun", { body: invitation ? { invitation } : {} })),
    ({ address }) => location.assign(address),
  );
  const name = provider.data?.name;
  if (!name) return null;
  const refusal = REFUSALS[location.hash]?.(name);
  return (
    <div className="grid justify-items-start gap-2">
      <p className="text-ink-2">or</p>
      <Button disabled={begin.isPending || begin.isSuccess} onClick={() => begin.mutate(undefined)}>
        {begin.isPending || begin.isSuccess ? `Going to ${name} …` : `Sign in with ${name}`}
      </Button>
      {begin.error ? <FieldError>{begin.error.detail}</FieldError> : refusal && <FieldError>{refusal}</FieldError>}
    </div>
  );
}
