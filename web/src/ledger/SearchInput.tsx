import { Input } from "@/ui/Field";

/** A field to look for something in a list. */
export function SearchInput({ what, query, set }: { what: string; query: string; set: (query: string) => void }) {
  return (
    <Input
      className="w-60"
      aria-label={`Look for ${what}`}
      placeholder="Look for …"
      value={query}
      onChange={(event) => set(event.target.value)}
      // What is looked for is found as it is typed; a form around it is not sent by it.
      onKeyDown={(event) => event.key === "Enter" && event.preventDefault()}
    />
  );
}
