import type { Naming, Sizes } from "@/views/explain/compared";
import type { Units } from "@/views/explain/groups";
import { NamedValue } from "@/views/shared/NamedValue";
import { Answer } from "@/ui/text";
import { plural } from "@/words/format";
import { doing, times, unitWords } from "@/words/comparing";
import type { ComparedRow } from "@/api/client";

const SURE = 0.05;
const MAX_NAMED = 3;
const NEARLY = 0.9;

interface ComparedAnswerProps extends Naming {
  rows: ComparedRow[];
  sizes: Sizes | undefined;
  units: Units;
  tested: number;
}

/** The strongest differences, each of another dimension, in one sentence. */
export function ComparedAnswer({ rows, sizes, units, tested, words, dimension }: ComparedAnswerProps) {
  const named = strongest(rows, sizes?.a ?? 0, dimension).slice(0, MAX_NAMED);
  const [group, other] = words;
  const subject = group.charAt(0).toUpperCase() + group.slice(1);
  if (!sizes) return <Answer aria-busy="true"> </Answer>;
  if (!named.length)
    return (
      <Answer>
        {sizes.a && sizes.b && tested
          ? `Nothing sets ${group} apart from ${other} beyond chance; ${plural(tested, "value")} were compared.`
          : `There is nothing to compare: ${unitWords(units, sizes.a)} against ${unitWords(units, sizes.b)}.`}
      </Answer>
    );
  return (
    <Answer>
      {subject} are{" "}
      {named.map((row, place) => {
        const [verb, value] = doing(dimension(row.dimension), row.value, "now");
        return (
          <span key={`${row.dimension} ${row.value}`}>
            {place > 0 && (place === named.length - 1 ? (named.length > 2 ? ", and " : " and ") : ", ")}
            {times(row.ratio ?? 0)} times {place === 0 && `as likely as ${other} `}to {verb}{" "}
            <NamedValue dimension={row.dimension} value={row.value} words={value} />
          </span>
        );
      })}
      .
    </Answer>
  );
}

/** The rows that are surest, one of a family, with a ratio that can be said. What nearly all of the group have is the way to where they are. */
export function strongest(rows: readonly ComparedRow[], size: number, dimension: Naming["dimension"]): ComparedRow[] {
  const seen = new Set<string>();
  return rows.filter((row) => {
    const family = dimension(row.dimension).family ?? row.dimension;
    const isNamed =
      row.corrected < SURE && row.ratio !== null && row.ratio > 0 && row.value !== "" && row.a < NEARLY * size && !seen.has(family);
    if (isNamed) seen.add(family);
    return isNamed;
  });
}
