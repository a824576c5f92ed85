import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { linksQuery, unmadeQuery } from "@/app/queries";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Build } from "@/views/tag/links/Build";
import { Library } from "@/views/tag/links/Library";
import { Unmade } from "@/views/tag/links/Unmade";
import { Vocabulary } from "@/views/tag/links/Vocabulary";
import { usualAddress } from "@/words/following";
import { plural } from "@/words/format";
import { EMPTY, type LinkDraft } from "@/words/links";

/** Campaign links: built, checked, printed, kept. */
export function Links() {
  const { site, goal, ready, trouble, again } = useView();
  const links = useQuery({ ...linksQuery(site.key, goal?.id ?? null), enabled: ready });
  const unmade = useQuery(unmadeQuery(site.key));
  const [draft, setDraft] = useState<LinkDraft>({ ...EMPTY, address: usualAddress(site) });
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (links.isError || unmade.isError)
    return <ErrorState error={links.error ?? unmade.error} again={() => void Promise.all([links.refetch(), unmade.refetch()])} />;
  const take = (change: Partial<LinkDraft>) => {
    setDraft({ ...draft, ...change });
    document.getElementById("build")?.scrollIntoView();
  };
  return (
    <div className="tag links">
      <h1 className="answer" aria-busy={links.isPending || unmade.isPending}>
        {links.data && unmade.data
          ? `${plural(links.data.length, "link")} made here; ${unmade.data.length >= 100 ? "a hundred and more" : unmade.data.length} that nobody made here came with visits in 90 days.`
          : " "}
      </h1>
      <Build draft={draft} set={setDraft} />
      {links.data && <Library links={links.data} onTake={take} />}
      {unmade.data && <Unmade rows={unmade.data} onTake={take} />}
      <Vocabulary />
    </div>
  );
}
