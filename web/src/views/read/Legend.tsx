import { Key } from "@/charts/Key";
import { DATUM, DOT, VERSUS_DOT, WHISKER } from "@/charts/styles";

/** What the marks of the ledgers mean. */
export function Legend({ versus }: { versus: string | null }) {
  return (
    <p className="col-span-full mt-2 flex flex-wrap gap-x-[26px] gap-y-0.5 text-small text-ink-2">
      <Key size={[8, 10]} mark={<circle className={DOT} cx="4" cy="5" r="3.25" />}>
        rate in this period
      </Key>
      {versus && (
        <Key size={[11, 12]} mark={<circle className={VERSUS_DOT} cx="5.5" cy="6" r="4.75" />}>
          {versus}
        </Key>
      )}
      <Key size={[26, 10]} mark={<path className={WHISKER} d="M1 2.5v5M1 5h24M25 2.5v5" />}>
        95 % interval
      </Key>
      <Key size={[2, 14]} mark={<path className={DATUM} d="M1 0v14" />}>
        all visits
      </Key>
      <span>few: under five expected, too few to say</span>
    </p>
  );
}
