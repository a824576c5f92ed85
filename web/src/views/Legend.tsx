/** What the marks of the ledgers mean. */
export function Legend({ versus }: { versus: string | null }) {
  return (
    <p className="legend">
      <span>
        <svg width="8" height="10" aria-hidden="true">
          <circle className="dot" cx="4" cy="5" r="3.25" />
        </svg>
        rate in this period
      </span>
      {versus && (
        <span>
          <svg width="11" height="12" aria-hidden="true">
            <circle className="versus" cx="5.5" cy="6" r="4.75" />
          </svg>
          {versus}
        </span>
      )}
      <span>
        <svg width="26" height="10" aria-hidden="true">
          <path className="whisker" d="M1 2.5v5M1 5h24M25 2.5v5" />
        </svg>
        95 % interval
      </span>
      <span>
        <svg width="2" height="14" aria-hidden="true">
          <path className="datum" d="M1 0v14" />
        </svg>
        all visits
      </span>
      <span>few: under five expected, too few to say</span>
    </p>
  );
}
