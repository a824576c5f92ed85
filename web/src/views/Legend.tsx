import { Key } from "@/pieces/Key";

/** What the marks of the ledgers mean. */
export function Legend({ versus }: { versus: string | null }) {
  return (
    <p className="legend">
      <Key size={[8, 10]} mark={<circle className="dot" cx="4" cy="5" r="3.25" />}>
        rate in this period
      </Key>
      {versus && (
        <Key size={[11, 12]} mark={<circle className="versus" cx="5.5" cy="6" r="4.75" />}>
          {versus}
        </Key>
      )}
      <Key size={[26, 10]} mark={<path className="whisker" d="M1 2.5v5M1 5h24M25 2.5v5" />}>
        95 % interval
      </Key>
      <Key size={[2, 14]} mark={<path className="datum" d="M1 0v14" />}>
        all visits
      </Key>
      <span>few: under five expected, too few to say</span>
    </p>
  );
}
