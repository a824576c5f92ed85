import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { buildQuery } from "@/api/queries";
import { useUnsaved } from "@/forms/leaving";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { useSite } from "@/state/site";
import { RadioGroup } from "@/ui/Choices";
import { Combobox, type Suggestion } from "@/ui/Combobox";
import { Field } from "@/ui/Field";
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
  draft: LinkDraft;
  set: (draft: LinkDraft) => void;
  /** The link of the library that is built anew, if one is. */
  edited: KeptLink | null;
  /** It was built anew, or shall not be. */
  onDone: () => void;
}

/** The form that a link is built in; what is said of it stands beside each field as one types. */
export function Build({ draft, set, edited, onDone }: BuildProps) {
  const { site } = useSite();
  const [touched, setTouched] = useState(false);
  const [isTyping, setTyping] = useState(false);
  const [chosen, setChosen] = useState<"tags" | "word" | null>(null);
  const way = chosen ?? (isOneWord(draft) ? "word" : "tags");
  const settled = useDebouncedValue(draft, 250);
  const built = useQuery(buildQuery(site.key, [settled]));
  const offers = {
    source: useOffers("source"),
    medium: useOffers("medium"),
    campaign: useOffers("campaign"),
    content: useOffers("content"),
  };
  // What needs no asking before it is left: what was saved, and what was opened to be changed.
  const [saved, setSaved] = useState<LinkDraft | null>(edited ? draft : null);
  const links = built.data ?? [];
  const isCurrent = settled === draft && !built.isFetching;
  const [only, ...others] = links;
  const isKept = isCurrent && links.length > 0 && links.every((link) => link.registered);
  const isUnsaved = !isKept && hasTags(draft) && JSON.stringify(draft) !== JSON.stringify(saved);
  useUnsaved(isUnsaved);
  const change = (name: Name, value: string) => {
    setTouched(true);
    set({ ...draft, [name]: value });
  };
  // A tagged link that was pasted is taken apart; what it was built of is what the server read.
  const taken = isCurrent && only && !others.length && !hasTags(draft) && hasTags(only.draft) ? only.draft : null;
  useEffect(() => {
    if (!taken) return;
    setTouched(true);
    setChosen(isOneWord(taken) ? "word" : "tags");
    set({ ...EMPTY, ...taken });
    notify("The tags of the address stand in their fields now.");
  }, [taken, set]);
  // An address is made whole once it is left.
  const address = !isTyping && isCurrent && only?.url ? only.draft.address : null;
  useEffect(() => {
    if (address && address !== draft.address.trim()) set({ ...draft, address });
  }, [address, draft, set]);
  // Of several words in a field, the one that the remark is of.
  const use = (name: Name, value: string, place: number) => {
    const meant = links[place]?.draft[name];
    const words = draft[name].split(",").map((word) => (word.trim() === meant ? value : word.trim()));
    change(name, SEVERAL.includes(name) ? words.join(", ") : value);
  };
  const line = (name: Name, label: string, hint: string, suggestions: Suggestion[] = []) => (
    <div>
      <Field label={label} hint={hint} error={touched || name !== "source" ? errorWith(links, name) : null}>
        {(control) => (
          <Combobox
            {...control}
            value={draft[name]}
            suggestions={suggestions}
            several={SEVERAL.includes(name)}
            autoCapitalize="none"
            onChange={(to) => change(name, to)}
            onFocus={() => setTyping(name === "address")}
            onBlur={() => setTyping(false)}
          />
        )}
      </Field>
      <Remarks links={links} name={name} onUse={(value, place) => use(name, value, place)} />
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
            set({ ...draft, ...(to === "word" ? { ...EMPTY, address: draft.address, label: draft.label } : { label: "" }) });
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
      <Finished links={links} error={built.error} busy={!isCurrent} edited={edited} onDone={onDone} onSaved={() => setSaved(draft)} />
    </section>
  );
}

const errorWith = (links: BuiltLink[], name: Name): string | undefined =>
  links
    .flatMap((link) => link.remarks)
    // A form with one word has no field for the source.
    .find((one) => one.is_error && (one.field === name || (name === "label" && !TAGS.slice(0, -1).every((tag) => tag !== one.field))))
    ?.text;
