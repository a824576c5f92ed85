import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { linksQuery, unregisteredLinksQuery } from "@/app/queries";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Build } from "@/views/tag/links/Build";
import { Library } from "@/views/tag/links/Library";
import { UnregisteredLinks } from "@/views/tag/links/UnregisteredLinks";
import { Vocabulary } from "@/views/tag/links/Vocabulary";
import { usualAddress } from "@/words/following";
import { plural } from "@/words/format";
import { EMPTY, type LinkDraft } from "@/words/links";

/** Campaign links: built, checked, printed, kept. */
export function Links() {
  const { site, goal, ready, trouble, again } = useView();
  const links = useQuery({ ...linksQuery(site.key, goal?.id ?? null), enabled: ready });
  const unregistered = useQuery(unregisteredLinksQuery(site.key));
  const [draft, setDraft] = useState<LinkDraft>({ ...EMPTY, address: usualAddress(site) });
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (links.isError || unregistered.isError)
    return (
      <ErrorState error={links.error ?? unregistered.error} again={() => void Promise.all([links.refetch(), unregistered.refetch()])} />
    );
  const take = (change: Partial<LinkDraft>) => {
    setDraft({ ...draft, ...change });
    document.getElementById("build")?.scrollIntoView();
  };
  return (
    <div className="tag links">
      <h1 className="answer" aria-busy={links.isPending || unregistered.isPending}>
        {links.data && unregistered.data
          ? `${plural(links.data.length, "link")} made here; ${unregistered.data.length >= 100 ? "a hundred and more" : unregistered.data.length} that nobody made here came with visits in 90 days.`
          : " "}
      </h1>
      <Build draft={draft} set={setDraft} />
      {links.data && <Library links={links.data} onTake={take} />}
      {unregistered.data && <UnregisteredLinks rows={unregistered.data} onTake={take} />}
      <Vocabulary />
    </div>
  );
}
