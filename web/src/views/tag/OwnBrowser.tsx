import { Part } from "@/ui/layout";
import { useMutation } from "@tanstack/react-query";

import { ask, client } from "@/api/client";
import { usePageOfSite } from "@/api/usePageOfSite";
import { Code } from "@/ui/Code";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { longDay } from "@/words/format";

/** Makes a link that tells a browser that it is one of the site's own people's. */
export function OwnBrowser() {
  const { site } = useSite();
  const [address] = usePageOfSite(site);
  const made = useMutation({
    mutationFn: () => ask(client.POST("/api/v1/sites/{site}/own-browsers", { params: { path: { site: site.key } } })),
  });
  return (
    <Part title="Your own visits">
      <p>
        Visits of the site’s own people are stored and left out of the reports. By network: list its addresses in the settings. By browser:
        open the site once by a link that is made here; it holds for a year. <code>#uc-own=off</code> at the end of an address ends it
        before.
      </p>
      {made.data ? (
        <>
          <Code text={`${address.split("#")[0]}#uc-own=${made.data.token}`} />
          <p className="text-ink-2">
            Whoever opens it is left out until {longDay(made.data.until.slice(0, 10))}, so give it to your own people only.
          </p>
        </>
      ) : (
        <Button disabled={made.isPending} onClick={() => made.mutate()}>
          Make a link for a browser
        </Button>
      )}
      {made.isError && <p role="alert">{made.error.detail}</p>}
    </Part>
  );
}
