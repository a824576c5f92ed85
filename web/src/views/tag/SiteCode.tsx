import { useQuery } from "@tanstack/react-query";

import { Part, Stack } from "@/ui/layout";
import { Code } from "@/ui/Code";
import { siteCode } from "@/words/code";
import { useSite } from "@/state/site";
import { Answer } from "@/ui/text";
import { nowQuery } from "@/api/queries";
import { useAddress } from "@/api/useAddress";
import { ErrorState } from "@/ui/states";
import { ago } from "@/words/format";
import { Check } from "@/views/tag/Check";
import { OwnBrowser } from "@/views/tag/OwnBrowser";
import { useScriptSize } from "@/views/tag/useScriptSize";

/** The line that goes on the pages, what it does, and a check that it works. */
export function SiteCode() {
  const { site } = useSite();
  const address = useAddress();
  const newest = useQuery(nowQuery(site.key, null));
  const size = useScriptSize(site.key);
  const last = newest.data?.arrived[0];
  return (
    <Stack>
      <Answer aria-busy={newest.isPending}>
        {newest.data && (last ? `Hits arrive; the newest is ${ago(newest.data.at - last.at)} old.` : "No hit has arrived yet.")}
        {newest.isPending && " "}
      </Answer>
      {newest.isError && <ErrorState error={newest.error} again={() => void newest.refetch()} />}
      <Part title="The code">
        <p>Put this line into the head of every page of {site.name}:</p>
        <Code text={siteCode(address, site.key)} />
        <p className="text-ink-2">
          It tells this server which page is shown, how long it is looked at, and what you name with <code>data-uc-event</code> or{" "}
          <code>uc.event()</code>.{" "}
          {site.tagging.cookie ? "It keeps one cookie of the site’s own for the visitor’s pseudonym." : "It keeps nothing in the browser."}{" "}
          {site.tagging.consent && "It waits for uc.consent(true) before it keeps or sends anything. "}
          It asks no other server, stays silent where Global Privacy Control is on, and never harms the page.
          {size !== null && ` ${(size / 1000).toFixed(1)} kB on the way.`}
        </p>
      </Part>
      <Check />
      <OwnBrowser />
    </Stack>
  );
}
