import { ApiError } from "@/api/client";
import { ErrorState as State } from "@/ui/states";

/** What happened, what was kept, and what to do: in the server's words, where it said any. */
export function ErrorState({ error, again }: { error: Error | null; again: () => void }) {
  const text = error instanceof ApiError ? error.problem.detail : "This part of the page failed. What you chose is kept in the address.";
  return <State text={text} again={again} />;
}
