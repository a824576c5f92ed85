/** The letter of an insight, beside it and beside what it speaks of. */
export function Letter({ letter, className = "" }: { letter: string; className?: string }) {
  return (
    <span
      aria-hidden="true"
      className={`inline-grid size-[17px] shrink-0 place-items-center rounded-full border border-ink-2 text-micro leading-none font-semibold text-ink ${className}`}
    >
      {letter}
    </span>
  );
}
