import { useState } from "react";

import type { Schemas } from "@/api/client";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { moment } from "@/words/format";
import { changeLines, thingWords } from "@/words/changes";

const SHOWN = 4;

/** One change: when, of what, from which value to which, and who made it where that is not plain. */
export function ChangeLine({ change, showsWho }: { change: Schemas["ChangeOut"]; showsWho?: boolean }) {
  const { site, registry, segments } = useSite();
  const [isWhole, setWhole] = useState(false);
  const { at, by, thing, name } = change;
  const lines = changeLines(change, { registry, segments }, site.currency);
  const told = isWhole ? lines : lines.slice(0, SHOWN);
  const more = lines.length - told.length;
  return (
    <li
      className={`grid gap-x-5 border-b border-hairline py-1.5 ${showsWho ? "min-[800px]:grid-cols-[150px_150px_minmax(0,1fr)]" : "min-[800px]:grid-cols-[150px_minmax(0,1fr)]"}`}
    >
      <span className="text-ink-2">{moment(Date.parse(at), site.timezone)}</span>
      {showsWho && <span className="min-w-0 wrap-anywhere">{by ?? "a removed account"}</span>}
      <div className="min-w-0">
        <p className="wrap-anywhere">
          {thingWords(thing)} {name && <b className="font-semibold">{name}</b>}
        </p>
        <ul className="text-label text-ink-2">
          {told.map((one, place) => (
            <li key={place} className="wrap-anywhere">
              {one}
            </li>
          ))}
        </ul>
        {more > 0 && (
          <Button kind="link" className="text-label" onClick={() => setWhole(true)}>
            {more} more
          </Button>
        )}
      </div>
    </li>
  );
}
