import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useForm } from "react-hook-form";

import { linksQuery, unregisteredLinksQuery } from "@/api/queries";
import { useLeave } from "@/forms/leaving";
import { ViewError } from "@/ui/states";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Stack } from "@/ui/layout";
import { Answer } from "@/ui/text";
import { Build } from "@/views/tag/links/Build";
import { LinkSheet } from "@/views/tag/links/LinkSheet";
import { Library } from "@/views/tag/links/Library";
import { UnregisteredLinks } from "@/views/tag/links/UnregisteredLinks";
import { Vocabulary } from "@/views/tag/links/Vocabulary";
import { usualAddress } from "@/words/following";
import { plural } from "@/words/format";
import { EMPTY, type KeptLink, type LinkDraft } from "@/words/links";

/** Campaign links: built, checked, printed, kept. */
export function Links() {
  const { site, ready, trouble, again } = useSite();
  const { goal } = useView();
  const links = useQuery({ ...linksQuery(site.key, goal?.id ?? null), enabled: ready });
  const unregistered = useQuery(unregisteredLinksQuery(site.key));
  const form = useForm<LinkDraft>({ defaultValues: { ...EMPTY, address: usualAddress(site) } });
  const [opened, setOpened] = useState<{ times: number; edited: KeptLink | null }>({ times: 0, edited: null });
  const leave = useLeave();
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (links.isError || unregistered.isError)
    return (
      <ViewError error={links.error ?? unregistered.error} again={() => void Promise.all([links.refetch(), unregistered.refetch()])} />
    );
  const begin = (change: Partial<LinkDraft>, edited: KeptLink | null) => {
    form.reset({ ...EMPTY, address: form.getValues("address"), ...change });
    setOpened({ times: opened.times + 1, edited });
  };
  const take = (change: Partial<LinkDraft>, link: KeptLink | null = null) =>
    leave(() => {
      begin(change, link);
      document.getElementById("build")?.scrollIntoView();
      document.querySelector<HTMLElement>("#build input")?.focus();
    });
  return (
    <Stack isWide>
      <Answer aria-busy={links.isPending || unregistered.isPending}>
        {links.data && unregistered.data
          ? `${plural(links.data.length, "link")} made here; ${unregistered.data.length >= 100 ? "a hundred and more" : unregistered.data.length} that nobody made here came with visits in 90 days.`
          : " "}
      </Answer>
      <Build key={opened.times} form={form} edited={opened.edited} onDone={() => begin({}, null)} />
      <LinkSheet />
      {links.data && <Library links={links.data} onTake={take} />}
      {unregistered.data && <UnregisteredLinks rows={unregistered.data} onTake={take} />}
      <Vocabulary />
    </Stack>
  );
}
