const TAIL = 7;
const LONG = 14;

/** A text that may not find room: then its start and its end are shown, and all of it while it has the focus or the pointer. */
export function LongText({ text }: { text: string }) {
  if (text.length <= LONG) return <span className="block truncate">{text}</span>;
  return (
    <span className="flex max-w-full min-w-0">
      <span className="min-w-0 truncate">{text.slice(0, -TAIL)}</span>
      <span className="shrink-0 whitespace-pre">{text.slice(-TAIL)}</span>
      <span
        aria-hidden="true"
        className="absolute z-20 hidden max-w-[min(560px,90vw)] -translate-x-1 border border-ink-2 bg-sheet px-1 wrap-anywhere whitespace-normal text-ink in-[:is(a,button,td,th):focus-visible]:block"
      >
        {text}
      </span>
    </span>
  );
}
