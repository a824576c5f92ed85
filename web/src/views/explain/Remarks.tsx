import type { Schemas } from "@/api/client";
import type { Naming, Sizes } from "@/views/explain/compared";
import type { AgainstName } from "@/views/explain/groups";
import { figure, plural, valueWords } from "@/words/format";

interface RemarksProps extends Naming {
  sizes: Sizes;
  /** What all of the group has and none of the others: dimension and value. */
  madeOf: Schemas["ComparedValue"][];
  against: AgainstName;
}

const MAX_NAMED = 6;

/** What must be known to read the comparison. */
export function Remarks({ sizes, madeOf, against, words, dimension }: RemarksProps) {
  const named = madeOf
    .slice(0, MAX_NAMED)
    .map((one) => `${dimension(one.dimension).title.toLowerCase()} ${valueWords(one.dimension, one.value)}`);
  const more = madeOf.length - named.length;
  return (
    <div className="grid gap-1 text-label text-ink-2">
      {named.length > 0 && (
        <p>
          Left out, for all {words[0]} have it and none of the others, so it is what they are made of: {named.join(", ")}
          {more > 0 && ` and ${plural(more, "more value")}`}.
        </p>
      )}
      {against === "rest" ? (
        <p>
          Counted from what each group did itself. The line is the 95 % interval of the ratio; what chance alone may do is in quieter ink.
        </p>
      ) : (
        sizes.both > 0 &&
        !sizes.is_rest && <p>{figure(sizes.both, "count")} are in both; the groups are read as if they were independent.</p>
      )}
    </div>
  );
}
