import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { vocabularyQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { faultsIn } from "@/pieces/faults";
import { Cross } from "@/pieces/Marks";
import { Trouble } from "@/pieces/Trouble";
import { useView } from "@/state/view";

type Word = Schemas["Word"];

/** The sources and mediums that the owner allows, with what each means. */
export function Vocabulary() {
  const { site } = useView();
  const words = useQuery(vocabularyQuery(site.key));
  if (words.isError) return <Trouble error={words.error} again={() => void words.refetch()} />;
  return (
    <section aria-label="Vocabulary">
      <h2 className="title">Vocabulary</h2>
      <p className="quiet">
        The words that you agreed on. The form above offers them first and says so when another is used.
        {site.role !== "owner" && " The site’s owners change it."}
      </p>
      {words.data && <Words held={words.data} may={site.role === "owner"} />}
    </section>
  );
}

function Words({ held, may }: { held: Word[]; may: boolean }) {
  const { site } = useView();
  const [draft, setDraft] = useState<Word[] | null>(null);
  const words = draft ?? held;
  const save = useSave(
    (body: Word[]) => ask(client.PUT("/api/v1/sites/{site}/vocabulary", { params: { path: { site: site.key } }, body })),
    () => setDraft(null),
  );
  const faults = faultsIn(
    save.error,
    words.map((_, place) => String(place)),
  );
  const change = (place: number, to: Partial<Word>) => {
    save.reset();
    setDraft(words.map((one, i) => (i === place ? { ...one, ...to } : one)));
  };
  return (
    <>
      <fieldset disabled={!may} className="aliases">
        <legend className="sr-only">Words</legend>
        {words.length === 0 && <p className="quiet">No words yet.</p>}
        {words.map((word, place) => (
          <div key={place} className="alias wide">
            <select
              aria-label="Field"
              value={word.field}
              onChange={(event) => change(place, { field: event.target.value as Word["field"] })}
            >
              <option>source</option>
              <option>medium</option>
            </select>
            <input
              aria-label="Word"
              value={word.value}
              placeholder="email"
              onChange={(event) => change(place, { value: event.target.value })}
            />
            <input
              aria-label="Meaning"
              value={word.meaning}
              placeholder="what it means"
              onChange={(event) => change(place, { meaning: event.target.value })}
            />
            <button
              type="button"
              className="off"
              aria-label={`Take ${word.value || "the word"} away`}
              onClick={() => setDraft(words.filter((_, i) => i !== place))}
            >
              <Cross />
            </button>
            {faults.of(String(place)) && (
              <p className="wrong" role="alert">
                {faults.of(String(place))}
              </p>
            )}
          </div>
        ))}
      </fieldset>
      {may && (
        <div className="end">
          <button type="button" className="do plain" onClick={() => setDraft([...words, { field: "medium", value: "", meaning: "" }])}>
            Add a word
          </button>
          {draft && (
            <>
              <button type="button" className="do" disabled={save.isPending} onClick={() => save.mutate(draft)}>
                Save the vocabulary
              </button>
              <button type="button" className="do plain" onClick={() => setDraft(null)}>
                Let it be
              </button>
            </>
          )}
          <span role="status" className="quiet">
            {save.isSuccess && !draft && "Saved."}
          </span>
          {faults.all && (
            <p className="wrong" role="alert">
              {faults.all}
            </p>
          )}
        </div>
      )}
    </>
  );
}
