import { useSteering } from "@/state/view";
import { valueWords } from "@/words/format";

/** A value that a sentence names: with a click only these, with Alt without these. */
export function NamedValue({ dimension, value, words }: { dimension: string; value: string; words?: string | undefined }) {
  const { narrow } = useSteering();
  return (
    <button
      type="button"
      className="max-w-full border-b-[1.5px] border-sea-2 text-start wrap-anywhere hover:border-teal"
      title="Only these (with Alt: without these)"
      onClick={(event) => narrow(dimension, value, event.altKey ? "without" : "only")}
    >
      {words ?? valueWords(dimension, value)}
    </button>
  );
}

/** Values as a sentence lists them: `a, b and c`. */
export function NamedValues({ dimension, values }: { dimension: string; values: readonly string[] }) {
  return values.map((value, place) => (
    <span key={value}>
      {place > 0 && (place === values.length - 1 ? " and " : ", ")}
      <NamedValue dimension={dimension} value={value} />
    </span>
  ));
}
