import type { Schemas } from "@/api/client";
import { Told } from "@/ui/layout";
import { moveWords, shareWords } from "@/words/sorting";

const MAX_SHOWN = 8;

/** What another way of sorting would move, before it is kept. */
export function Moves({ found, isStale }: { found: Schemas["ReclassificationOut"]; isStale: boolean }) {
  return (
    <Told role="status" aria-busy={isStale}>
      <p>
        <b>{shareWords(found.moved, found.visits)}</b> change in the last 90 days.
      </p>
      <ul className="list-disc pl-[18px]">
        {found.moves.slice(0, MAX_SHOWN).map((move) => (
          <li key={`${move.field} ${move.was} ${move.becomes}`}>{moveWords(move)}.</li>
        ))}
      </ul>
      {found.moves.length > MAX_SHOWN && <p className="text-ink-2">And {found.moves.length - MAX_SHOWN} smaller changes.</p>}
    </Told>
  );
}
