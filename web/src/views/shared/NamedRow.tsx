import type { CellControl } from "@/ledger/columns";
import { LongText } from "@/ledger/LongText";
import { useSteering } from "@/state/view";
import { valueWords } from "@/words/format";

interface NamedRowProps {
  dimension: string;
  value: string;
  /** What it is called that none of the values is. */
  none?: string;
  /** What it bears in a grid. */
  control?: CellControl;
}

/** What a row is called; a click narrows to it. */
export function NamedRow({ dimension, value, none = "unattributed", control }: NamedRowProps) {
  const { narrow } = useSteering();
  if (value === "")
    return (
      <span className="text-ink-2" {...control}>
        {none}
      </span>
    );
  const words = valueWords(dimension, value);
  return (
    <button
      type="button"
      className="min-w-0 text-start text-teal decoration-1 underline-offset-3 hover:underline"
      title={`${words}: only these (with Alt: without these)`}
      onClick={(event) => narrow(dimension, value, event.altKey ? "without" : "only")}
      {...control}
    >
      <LongText text={words} />
    </button>
  );
}
