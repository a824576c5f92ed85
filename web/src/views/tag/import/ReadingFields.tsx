import { Controller, type UseFormReturn } from "react-hook-form";

import { EntryField } from "@/forms/EntryForm";
import type { useJudged } from "@/forms/useJudged";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Textarea } from "@/ui/Field";
import { optionsOf, Select } from "@/ui/Select";
import { Actions } from "@/ui/text";
import { FIELDS, typedWords, type LogField, type LogReading, type Preview } from "@/words/imports";

/** What counts, as it is typed. */
export interface ReadingForm {
  host: string;
  first_word: LogReading["first_word"];
  pages: string;
  downloads: string;
  feeds: string;
  not_modified: boolean;
  fields: Record<string, LogField>;
}

/** The form of how logs are read. */
export const readingTyped = (reading: LogReading | null): ReadingForm => ({
  host: reading?.host ?? "",
  first_word: reading?.first_word ?? "address",
  pages: (reading?.pages ?? []).join(" "),
  downloads: (reading?.downloads ?? []).join(" "),
  feeds: (reading?.feeds ?? []).join(" "),
  not_modified: reading?.not_modified ?? true,
  fields: (reading?.fields ?? {}) as Record<string, LogField>,
});

/** How logs are read by such a form. */
export const readingGiven = (form: ReadingForm, kept: LogReading): LogReading => ({
  ...kept,
  ...form,
  pages: typedWords(form.pages),
  downloads: typedWords(form.downloads),
  feeds: typedWords(form.feeds),
});

interface ReadingFieldsProps {
  form: UseFormReturn<ReadingForm>;
  judged: ReturnType<typeof useJudged<ReadingForm>>;
  preview: Preview;
  hosts: readonly string[];
  usual: LogReading | null;
}

/** What counts in a server log: what is a page, what a download, what else only belongs to one; and what its words mean where they do not say it. */
export function ReadingFields({ form, judged, preview, hosts, usual }: ReadingFieldsProps) {
  const area = (name: "pages" | "downloads" | "feeds", label: string, hint: string) => (
    <EntryField entry={judged} name={name} of={`reading.${name}`} label={label} hint={hint}>
      {(control) => <Textarea {...control} rows={3} />}
    </EntryField>
  );
  return (
    <div className="grid max-w-[980px] gap-3 border-l-2 border-hairline pl-3.5">
      <div className="grid gap-x-6 gap-y-3 min-[700px]:grid-cols-2">
        <EntryField entry={judged} name="host" of={["host", "reading.host"]} label="Host of the pages" hint="where the log names none">
          {({ value, onChange, ...control }) => (
            <Select
              {...control}
              value={value}
              onChange={onChange}
              options={[...new Set([value, ...hosts.map((one) => one.replace(/^www\./, ""))])]}
            />
          )}
        </EntryField>
        {preview.format === "ncsa" && (
          <EntryField
            entry={judged}
            name="first_word"
            label="Its lines begin with"
            hint={preview.begins_with_host ? "these seem to begin with a host" : "the word before the first blank"}
          >
            {({ value, onChange, ...control }) => (
              <Select
                {...control}
                value={value}
                onChange={onChange}
                options={[
                  { value: "address", label: "the visitor’s address" },
                  { value: "host", label: "the host, then the visitor’s address" },
                ]}
              />
            )}
          </EntryField>
        )}
      </div>
      {preview.fields.length > 0 && <Mapping form={form} preview={preview} />}
      <div className="grid gap-x-6 gap-y-3 min-[700px]:grid-cols-3">
        {area("pages", "Pages end with", "and whatever has no ending")}
        {area("downloads", "Downloads end with", "each becomes an event, file download")}
        {area("feeds", "Feeds, which are no pages", "the last part of their path")}
      </div>
      <p className="text-label text-ink-2">
        All other endings (pictures, styles, scripts, fonts) only belong to a page and are left out; so are errors, redirects and whatever
        is not asked for with GET.
      </p>
      <Controller
        control={form.control}
        name="not_modified"
        render={({ field }) => (
          <Checkbox label="A page that the browser still had (status 304) was seen" checked={field.value} onChange={field.onChange} />
        )}
      />
      {usual && (
        <Actions>
          <Button kind="link" onClick={() => form.reset(readingTyped(usual), { keepDefaultValues: true })}>
            As is usual
          </Button>
        </Actions>
      )}
    </div>
  );
}

/** What each field of a W3C log is taken for. */
function Mapping({ form, preview }: Pick<ReadingFieldsProps, "form" | "preview">) {
  return (
    <Controller
      control={form.control}
      name="fields"
      render={({ field }) => (
        <div role="group" aria-label="Fields of the log" className="grid gap-[3px]">
          <span className="text-label text-ink-2">What its fields are</span>
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] gap-x-6 gap-y-1.5">
            {preview.fields.map(({ name, meaning }, place) => (
              <li key={`${place} ${name}`} className="flex min-w-0 items-center justify-between gap-2">
                <span className="min-w-0 truncate font-mono text-label" title={name}>
                  {name}
                </span>
                <Select
                  className="w-[150px] shrink-0"
                  aria-label={`What ${name} is`}
                  value={meaning}
                  options={optionsOf(FIELDS)}
                  onChange={(to) => field.onChange({ ...field.value, [name]: to })}
                />
              </li>
            ))}
          </ul>
        </div>
      )}
    />
  );
}
