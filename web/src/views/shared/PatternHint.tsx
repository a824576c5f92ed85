/** What a regular expression can do here, wherever one is typed. */
export const PatternHint = () => (
  <span className="text-ink-2">
    A regular expression matches anywhere in the text; <code>^</code> and <code>$</code> hold it to its ends. It is read in one go, so it
    cannot look around (<code>(?=</code>, <code>(?!</code>, <code>(?&lt;</code>).
  </span>
);
