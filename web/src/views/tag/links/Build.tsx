import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { buildQuery, tableQuery, vocabularyQuery } from "@/app/queries";
import { Field, Input } from "@/ui/Field";
import { completeDays, useView } from "@/state/view";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { Button } from "@/ui/Button";
import { Finished } from "@/views/tag/links/Finished";
import { draftsOf, type BuiltLink, type LinkDraft } from "@/words/links";

type Name = keyof LinkDraft;

/** The form that a link is built in; what is said of it stands beside each field as one types. */
export function Build({ draft, set }: { draft: LinkDraft; set: (draft: LinkDraft) => void }) {
  const { site } = useView();
  const [touched, setTouched] = useState(false);
  const settled = useDebouncedValue(draft, 250);
  const drafts = draftsOf(settled);
  const built = useQuery(buildQuery(site.key, drafts));
  const sources = useOffers("source");
  const mediums = useOffers("medium");
  const change = (name: Name, value: string) => {
    setTouched(true);
    set({ ...draft, [name]: value });
  };
  const links = built.data ?? [];
  const line = (name: Name, label: string, hint: string, offers?: string[]) => (
    <div>
      <Field label={label} hint={hint} error={touched || name !== "source" ? errorWith(links, name) : null}>
        {(control) => (
          <Input
            {...control}
            value={draft[name]}
            list={offers ? `offers-${name}` : undefined}
            autoCapitalize="none"
            onChange={(event) => change(name, event.target.value)}
          />
        )}
      </Field>
      {offers && (
        <datalist id={`offers-${name}`}>
          {offers.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
      )}
      <Remarks links={links} name={name} onUse={(value) => change(name, value)} />
    </div>
  );
  return (
    <section id="build" aria-label="Build a link" className="build">
      <form className="form" onSubmit={(event) => event.preventDefault()} noValidate>
        <h2 className="title">Build a link</h2>
        {line("address", "Address", "the page that it leads to")}
        <div className="thirds">
          {line("source", "Source", "who sends them: letter, flour-bag; several with commas", sources)}
          {line("medium", "Medium", "by what sort of link: email, qr, cpc", mediums)}
          {line("campaign", "Campaign", "for what: spring-courses")}
          {line("content", "Content", "which link of several: top, foot; with commas")}
          {line("term", "Term", "the words or audience that were paid for")}
          {line("label", "Or only a link label", `one word, as ?${site.rules.label_keys[0] ?? "via"}=card`)}
        </div>
      </form>
      <Finished drafts={drafts} links={links} error={built.error} busy={built.isFetching || settled !== draft} />
    </section>
  );
}

/** The owner's words first, then what visits came with. */
function useOffers(field: "source" | "medium"): string[] {
  const { site } = useView();
  const words = useQuery(vocabularyQuery(site.key));
  const asked = { period: completeDays(site.today, 365), versus: "none" as const, goal: null, filters: [] };
  const seen = useQuery(
    tableQuery(site.key, { ...asked, dimensions: [field], measures: ["visits"], descending: true, limit: 60 }, { live: false }),
  );
  const own = words.data?.filter((word) => word.field === field).map((word) => word.value) ?? [];
  const others = seen.data?.rows.map((row) => row.keys[0] ?? "") ?? [];
  return [...new Set([...own, ...others])].filter((one) => one && one !== "direct" && one !== "none" && one !== "(unset)");
}

const errorWith = (links: BuiltLink[], name: Name): string | undefined =>
  links.flatMap((link) => link.remarks).find((one) => one.is_error && one.field === name)?.text;

function Remarks({ links, name, onUse }: { links: BuiltLink[]; name: Name; onUse: (value: string) => void }) {
  const message = links.flatMap((link) => link.remarks).filter((one) => !one.is_error && one.field === name);
  const once = message.filter((one, place) => message.findIndex((other) => other.text === one.text) === place).slice(0, 3);
  return once.map((one) => (
    <p key={one.text} className="remark">
      {one.text}
      {one.use && links.length === 1 && (
        <Button kind="link" className="ml-1.5" onClick={() => onUse(one.use ?? "")}>
          Use {one.use}
        </Button>
      )}
    </p>
  ));
}
