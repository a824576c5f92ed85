import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { vocabularyQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { RepeatableRows, type Column } from "@/pieces/RepeatableRows";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";

type Word = Schemas["Word"];

const COLUMNS: Column<Word>[] = [
  { key: "field", label: "Field", options: ["source", "medium"] },
  { key: "value", label: "Word", placeholder: "email" },
  { key: "meaning", label: "Meaning", placeholder: "what it means" },
];

/** The sources and mediums that the owner allows, with what each means. */
export function Vocabulary() {
  const { site } = useView();
  const words = useQuery(vocabularyQuery(site.key));
  if (words.isError) return <ErrorState error={words.error} again={() => void words.refetch()} />;
  return (
    <section aria-label="Vocabulary">
      <h2 className="title">Vocabulary</h2>
      <p className="quiet">
        The words that you agreed on. The form above offers them first and says so when another is used.
        {site.role !== "owner" && " The site’s owners change it."}
      </p>
      {words.data && <Words value={words.data} canEdit={site.role === "owner"} />}
    </section>
  );
}

function Words({ value, canEdit }: { value: Word[]; canEdit: boolean }) {
  const { site } = useView();
  const [draft, setDraft] = useState<Word[] | null>(null);
  const words = draft ?? value;
  const save = useSave(
    (body: Word[]) => ask(client.PUT("/api/v1/sites/{site}/vocabulary", { params: { path: { site: site.key } }, body })),
    () => setDraft(null),
  );
  const faults = fieldErrors(
    save.error,
    words.map((_, place) => String(place)),
  );
  return (
    <>
      {words.length === 0 && <p className="quiet">No words yet.</p>}
      <RepeatableRows
        name="Words"
        className="words-given"
        columns={COLUMNS}
        lines={words}
        canEdit={canEdit}
        error={(place) => faults.of(String(place))}
        set={(lines) => {
          save.reset();
          setDraft(lines);
        }}
      />
      {canEdit && (
        <div className="end">
          <Button onClick={() => setDraft([...words, { field: "medium", value: "", meaning: "" }])}>Add a word</Button>
          {draft && (
            <>
              <Button kind="primary" disabled={save.isPending} onClick={() => save.mutate(draft)}>
                Save the vocabulary
              </Button>
              <Button onClick={() => setDraft(null)}>Cancel</Button>
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
