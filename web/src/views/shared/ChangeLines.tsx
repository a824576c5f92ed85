import { useState } from "react";

import { Button } from "@/ui/Button";

const FEW = 6;
const LONG = 240;
const cut = (line: string): string => (line.length > LONG ? `${line.slice(0, LONG)} …` : line);

/** What changed, a line each. Of very many and of very long ones the beginning is shown, until all of it is asked for. */
export function ChangeLines({ lines }: { lines: readonly string[] }) {
  const [isWhole, setWhole] = useState(false);
  const isMuch = lines.length > FEW || lines.some((line) => line.length > LONG);
  return (
    <>
      <ul className="list-disc pl-4 text-ink-2 wrap-anywhere">
        {(isWhole ? lines : lines.slice(0, FEW).map(cut)).map((line, place) => (
          <li key={place}>{line}</li>
        ))}
      </ul>
      {isMuch && (
        <Button kind="link" className="mr-3 text-label" aria-expanded={isWhole} onClick={() => setWhole(!isWhole)}>
          {isWhole ? "Only the beginning" : "Show all that changed"}
        </Button>
      )}
    </>
  );
}
