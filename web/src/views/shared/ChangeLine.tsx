import { useState } from "react";

import type { Schemas } from "@/api/client";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { moment } from "@/words/format";
import { differenceWords, thingWords } from "@/words/people";

const SHOWN = 4;

/** One change: when, of what, from which value to which, and who made it where that is not plain. */
export function ChangeLine({ change: { at, by, thing, name, fields }, showsWho }: { change: Schemas["ChangeOut"]; showsWho?: boolean }) {
  const { site } = useSite();
  const [isWhole, setWhole] = useState(false);
  const told = isWhole ? fields : fields.slice(0, SHOWN);
  const more = fields.length - told.length;
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
              {differenceWords(one)}
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
