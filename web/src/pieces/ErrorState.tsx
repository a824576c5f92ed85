import { ApiError } from "@/api/client";

/** What happened, what was kept, and what to do. */
export function ErrorState({ error, again }: { error: Error | null; again: () => void }) {
  const text = error instanceof ApiError ? error.problem.detail : "This part of the page failed. What you chose is kept in the address.";
  return (
    <div className="trouble" role="alert">
      <p>{text}</p>
      <button type="button" className="do" onClick={again}>
        Try again
      </button>
    </div>
  );
}
