import { useState } from "react";

import { Cross } from "@/pieces/Marks";
import { plural } from "@/words/format";
import type { Alias } from "@/words/sorting";

const FIELDS: Alias["field"][] = ["source", "medium", "campaign", "content", "term", "label"];
const MANY = 12;

interface Given {
  aliases: Alias[];
  may: boolean;
  wrong: (...fields: string[]) => string | undefined;
  set: (aliases: Alias[]) => void;
}

/** This is the same as that. */
export function Aliases({ aliases, may, wrong, set }: Given) {
  const [sought, setSought] = useState("");
  const [all, setAll] = useState(false);
  const change = (place: number, to: Partial<Alias>) => set(aliases.map((one, i) => (i === place ? { ...one, ...to } : one)));
  const found = aliases
    .map((alias, place) => ({ alias, place }))
    .filter(({ alias }) => `${alias.field} ${alias.this} ${alias.that}`.toLowerCase().includes(sought.toLowerCase()));
  const shown = all || found.length <= MANY ? found : found.slice(-MANY);
  return (
    <section aria-label="Aliases">
      <h2 className="title">Aliases: this is the same as that</h2>
      <p className="quiet">Capitals, spaces, + and _ make no difference anyway. An alias joins what is spelled in another way.</p>
      {aliases.length === 0 && <p className="empty">No aliases yet.</p>}
      {aliases.length > MANY && (
        <input
          className="seek"
          aria-label="Look for an alias"
          placeholder="Look for …"
          value={sought}
          onChange={(event) => setSought(event.target.value)}
        />
      )}
      <fieldset disabled={!may} className="aliases">
        <legend className="sr-only">Aliases</legend>
        {shown.map(({ alias, place }) => (
          <div key={place} className="alias">
            <select
              aria-label="Field"
              value={alias.field}
              onChange={(event) => change(place, { field: event.target.value as Alias["field"] })}
            >
              {FIELDS.map((field) => (
                <option key={field}>{field}</option>
              ))}
            </select>
            <input
              aria-label="This"
              value={alias.this}
              placeholder="e-mail"
              onChange={(event) => change(place, { this: event.target.value })}
            />
            <span className="quiet">is</span>
            <input
              aria-label="That"
              value={alias.that}
              placeholder="email"
              onChange={(event) => change(place, { that: event.target.value })}
            />
            <button
              type="button"
              className="off"
              aria-label={`Take ${alias.this} away`}
              onClick={() => set(aliases.filter((_, i) => i !== place))}
            >
              <Cross />
            </button>
            {wrong(`aliases.${place}`) && (
              <p className="wrong" role="alert">
                {wrong(`aliases.${place}`)}
              </p>
            )}
          </div>
        ))}
      </fieldset>
      {shown.length < found.length && (
        <button type="button" className="link" onClick={() => setAll(true)}>
          {plural(found.length - shown.length, "earlier alias", "earlier aliases")}
        </button>
      )}
      {may && (
        <button type="button" className="do plain" onClick={() => set([...aliases, { field: "medium", this: "", that: "" }])}>
          Add an alias
        </button>
      )}
    </section>
  );
}
