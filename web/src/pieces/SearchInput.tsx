/** A field to look for something in a list. */
export function SearchInput({ what, sought, set }: { what: string; sought: string; set: (sought: string) => void }) {
  return (
    <input
      className="seek"
      aria-label={`Look for ${what}`}
      placeholder="Look for …"
      value={sought}
      onChange={(event) => set(event.target.value)}
    />
  );
}
