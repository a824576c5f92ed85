import type { Naming, Sizes } from "@/views/explain/compared";
import { useSteering } from "@/state/view";
import { VisitsBehind } from "@/views/shared/Behind";
import { Button } from "@/ui/Button";
import { Title } from "@/ui/text";
import { plural, valueWords } from "@/words/format";
import { evidence, said } from "@/words/comparing";
import type { ComparedRow } from "@/api/client";

interface RowAsideProps extends Naming {
  row: ComparedRow;
  sizes: Sizes;
  tested: number;
}

/** The chosen row as a sentence, how sure it is, and where it leads. */
export function RowAside({ row, sizes, words, others, dimension, tested }: RowAsideProps) {
  const { narrow } = useSteering();
  const { counts, stressed, interval } = said(row, sizes, [words[0], others], dimension(row.dimension));
  return (
    <aside
      aria-label="The chosen value"
      className="border-hairline max-[1100px]:border-t max-[1100px]:pt-3 min-[1101px]:border-l min-[1101px]:pl-6"
    >
      <Title className="[overflow-wrap:anywhere]">{valueWords(row.dimension, row.value)}</Title>
      <p className="pales my-2 font-serif text-note [overflow-wrap:anywhere]">
        {counts}
        <b>{stressed}</b>
        {interval}.
      </p>
      <dl className="pales">
        {[
          ["p, of this row alone", evidence(row.p)],
          [`corrected over ${plural(tested, "row")}`, evidence(row.corrected)],
        ].map(([term, text]) => (
          <div key={term} className="flex justify-between border-b border-hairline py-[3px]">
            <dt className="text-ink-2">{term}</dt>
            <dd>{text}</dd>
          </div>
        ))}
      </dl>
      <p className="mt-3 grid justify-items-start gap-1.5">
        <Button kind="link" onClick={() => narrow(row.dimension, row.value, "only")}>
          Only these
        </Button>
        <VisitsBehind className="text-teal underline-offset-3 hover:underline" places={[row]} />
      </p>
    </aside>
  );
}
