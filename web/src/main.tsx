import "./styles/app.css";

import { QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { flushSync } from "react-dom";
import { createRoot } from "react-dom/client";

import { prefetchSite, queries, sessionQuery, sitesQuery } from "@/api/queries";
import { router } from "@/app/router";
import { applyLight, followSystem } from "@/state/light";
import { siteOf } from "@/state/paths";

applyLight();
followSystem();
setNonce(document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? "");
// What every view of the site needs the page has asked for already (see index.html), so that it is there in a moment; drawn before, a page would be drawn
// twice. Where it takes longer, a page that waits is better than none.
const A_MOMENT = 100;
const begun = async (): Promise<void> => {
  if (!(await queries.fetchQuery(sessionQuery))) return;
  const site = siteOf(location.pathname);
  await Promise.all([queries.prefetchQuery(sitesQuery), site && prefetchSite(site)]);
};
const moment = new Promise((over) => setTimeout(over, A_MOMENT));
void Promise.race([Promise.allSettled([begun(), router.load()]), moment]).then(() => {
  const root = document.getElementById("root");
  if (!root) return;
  // At once and not in slices: what the view reads is asked for before the frame of it is laid out.
  flushSync(() =>
    createRoot(root).render(
      <StrictMode>
        <QueryClientProvider client={queries}>
          <RouterProvider router={router} />
        </QueryClientProvider>
      </StrictMode>,
    ),
  );
});
