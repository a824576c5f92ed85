import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { useFormState, type UseFormReturn } from "react-hook-form";

import { buildQuery } from "@/api/queries";
import { EntryField } from "@/forms/EntryForm";
import { useUnsaved } from "@/forms/leaving";
import { useJudged, useTyped } from "@/forms/useJudged";
import type { FieldFault } from "@/forms/usePlaces";
import { useSite } from "@/state/site";
import { RadioGroup } from "@/ui/Choices";
import { Combobox, type Suggestion } from "@/ui/Combobox";
import { Title } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { Finished } from "@/views/tag/links/Finished";
import { Remarks } from "@/views/tag/links/Remarks";
import { useOffers } from "@/views/tag/links/useOffers";
import { EMPTY, hasTags, isOneWord, TAGS, type BuiltLink, type KeptLink, type LinkDraft } from "@/words/links";

type Name = keyof LinkDraft;
/** Fields that take several words with commas, for several links at once. */
const SEVERAL: Name[] = ["source", "content"];
const WAYS = [
  { value: "tags", label: "Full tags", hint: "source, medium and more" },
  { value: "word", label: "One word", hint: "a short address" },
] as const;

interface BuildProps {
  form: UseFormReturn<LinkDraft>;
  /** The link of the library that is built anew, if one is. */
  edited: KeptLink | null;
  /** It was built anew, or shall not be. */
  onDone: () => void;
}

/** The form that a link is built in; what is said of it stands beside each field as one types. */
export function Build({ form, edited, onDone }: BuildProps) {
  const { site } = useSite();
  const [typing, setTyping] = useState<Name | null>(null);
  const [chosen, setChosen] = useState<"tags" | "word" | null>(null);
  const { typed: draft, settled, isSettled } = useTyped(form, 250);
  const { isDirty } = useFormState({ control: form.control });
  const way = chosen ?? (isOneWord(draft) ? "word" : "tags");
  const built = useQuery(buildQuery(site.key, [settled]));
  const offers = {
    source: useOffers("source"),
    medium: useOffers("medium"),
    campaign: useOffers("campaign"),
    content: useOffers("content"),
  };
  const links = built.data ?? [];
  const isCurrent = isSettled && !built.isFetching;
  const [only, ...others] = links;
  const isKept = isCurrent && links.length > 0 && links.every((link) => link.registered);
  const isUnsaved = !isKept && hasTags(draft) && isDirty;
  useUnsaved(isUnsaved);
  const errors = errorsOf(links, way).filter((one) => isDirty || one.field !== "source");
  const judged = useJudged(form, { errors, detail: "" });
  const fill = useCallback(
    (values: Partial<LinkDraft>) => {
      for (const [name, value] of Object.entries(values)) form.setValue(name as Name, value, { shouldDirty: true });
    },
    [form],
  );
  // A tagged link that was pasted is taken apart; what it was built of is what the server read.
  const taken = isCurrent && only && !others.length && !hasTags(draft) && hasTags(only.draft) ? only.draft : null;
  useEffect(() => {
    if (!taken) return;
    setChosen(isOneWord(taken) ? "word" : "tags");
    fill({ ...EMPTY, ...taken });
    notify("The tags of the address stand in their fields now.");
  }, [taken, fill]);
  // An address is made whole once it is left.
  const address = typing !== "address" && isCurrent && only?.url ? only.draft.address : null;
  useEffect(() => {
    if (address && address !== draft.address.trim()) fill({ address });
  }, [address, draft.address, fill]);
  // Of several words in a field, the one that the remark is of.
  const use = (name: Name, value: string, place: number) => {
    const meant = links[place]?.draft[name];
    const words = draft[name].split(",").map((word) => (word.trim() === meant ? value : word.trim()));
    fill({ [name]: SEVERAL.includes(name) ? words.join(", ") : value });
  };
  const line = (name: Name, label: string, hint: string, suggestions: Suggestion[] = []) => (
    <div>
      <EntryField entry={judged} name={name} label={label} hint={hint}>
        {(control) => (
          <Combobox
            {...control}
            suggestions={suggestions}
            several={SEVERAL.includes(name)}
            autoCapitalize="none"
            onFocus={() => setTyping(name)}
            onBlur={() => {
              setTyping(null);
              control.onBlur();
            }}
          />
        )}
      </EntryField>
      <Remarks links={links} name={name} isTyping={typing === name} onUse={(value, place) => use(name, value, place)} />
    </div>
  );
  const channel = only?.url && isCurrent ? `; its visits count as ${only.channel}` : "";
  return (
    <section
      id="build"
      aria-label="Build a link"
      className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-9 gap-y-2 min-[1000px]:grid-cols-[minmax(0,1.45fr)_minmax(0,1fr)]"
    >
      <form className="grid gap-2 py-2.5" data-dirty={isUnsaved} onSubmit={(event) => event.preventDefault()} noValidate>
        <Title>{edited ? "Change a link" : "Build a link"}</Title>
        {line("address", "Address", "the page that it leads to; a link with tags is taken apart")}
        <RadioGroup
          label="How it is tagged"
          isRow
          value={way}
          options={WAYS}
          onChange={(to) => {
            setChosen(to);
            fill(to === "word" ? { ...EMPTY, address: draft.address, label: draft.label } : { label: "" });
          }}
        />
        <div className="grid grid-cols-[repeat(auto-fit,minmax(190px,1fr))] gap-x-3.5 gap-y-2">
          {way === "tags" ? (
            <>
              {line("source", "Source", "who sends them: letter, flour-bag; several with commas", offers.source)}
              {line("medium", "Medium", "by what sort of link: email, qr, cpc", offers.medium)}
              {line("campaign", "Campaign", "for what: spring-courses", offers.campaign)}
              {line("content", "Content", "which link of several: top, foot; with commas", offers.content)}
              {line("term", "Term", "the words or audience that were paid for")}
            </>
          ) : (
            line("label", "Link label", `it stands behind the address as ?${site.rules.label_keys[0] ?? "via"}=card${channel}`)
          )}
        </div>
      </form>
      <Finished
        links={links}
        error={built.error}
        busy={!isCurrent}
        edited={edited}
        onDone={onDone}
        onSaved={() => form.reset(form.getValues())}
      />
    </section>
  );
}

/** What is wrong, by field; a form with one word has no fields for the tags. */
const errorsOf = (links: BuiltLink[], way: "tags" | "word"): FieldFault[] =>
  links
    .flatMap((link) => link.remarks)
    .filter((one) => one.is_error)
    .map(({ field, text }) => ({ field: way === "word" && TAGS.slice(0, -1).some((tag) => tag === field) ? "label" : field, text }));
