import { useQuery } from "@tanstack/react-query";

import { ask, client, type Schemas } from "@/api/client";
import { vocabularyQuery } from "@/api/queries";
import { EntryForm, EntryGroup } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { RepeatableRows, type Column } from "@/views/shared/RepeatableRows";
import { ErrorState } from "@/ui/states";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Part } from "@/ui/layout";
import { Actions } from "@/ui/text";
import { Button } from "@/ui/Button";

type Word = Schemas["Word"];

const COLUMNS: Column<Word>[] = [
  { key: "field", label: "Field", options: ["source", "medium", "campaign", "content"] },
  { key: "value", label: "Word", placeholder: "email" },
  { key: "meaning", label: "Meaning", placeholder: "what it means" },
];

/** The words that the owner allows in links, with what each means. */
export function Vocabulary() {
  const { site } = useSite();
  const words = useQuery(vocabularyQuery(site.key));
  if (words.isError) return <ErrorState error={words.error} again={() => void words.refetch()} />;
  return (
    <Part isWide title="Vocabulary" aria-label="Vocabulary">
      <p className="text-ink-2">
        The words that you agreed on. The form above offers them first and says so when another is used.
        {!can(site, "own") && " The site’s owners change it."}
      </p>
      {words.data && <Words value={words.data} canEdit={can(site, "own")} />}
    </Part>
  );
}

function Words({ value, canEdit }: { value: Word[]; canEdit: boolean }) {
  const { site } = useSite();
  const entry = useEntry({
    touches: "links",
    values: { words: value },
    send: ({ words }) => ask(client.PUT("/api/v1/sites/{site}/vocabulary", { params: { path: { site: site.key } }, body: words })),
  });
  const { isDirty } = entry.form.formState;
  return (
    <EntryForm
      entry={entry}
      label="The vocabulary"
      canEdit={canEdit}
      foot={
        <span role="status" className="text-ink-2">
          {entry.isSent && "Saved."}
        </span>
      }
    >
      {/* The list as a whole is what the server was sent, so whatever it says is of the list. */}
      <EntryGroup entry={entry} name="words" of="">
        {({ value: words, onChange }) => (
          <>
            {words.length === 0 && <p className="text-ink-2">No words yet.</p>}
            <RepeatableRows
              name="Words"
              noun={["word", "words"]}
              layout="max-w-[760px] min-[1000px]:grid-cols-[110px_180px_minmax(0,1fr)_28px]"
              columns={COLUMNS}
              lines={words}
              canEdit={canEdit}
              error={(place) => entry.errorOf(String(place))}
              set={onChange}
            />
            {canEdit && (
              <Actions>
                <Button onClick={() => onChange([...words, { field: "medium", value: "", meaning: "" }])}>Add a word</Button>
                {isDirty && (
                  <>
                    <Button type="submit" kind="primary" disabled={entry.isSending}>
                      Save the vocabulary
                    </Button>
                    <Button onClick={entry.cancel}>Cancel</Button>
                  </>
                )}
              </Actions>
            )}
          </>
        )}
      </EntryGroup>
    </EntryForm>
  );
}
