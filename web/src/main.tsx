import "./styles/app.css";

import { QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { prefetchSite, queries, sessionQuery, sitesQuery } from "@/api/queries";
import { router } from "@/app/router";
import { applyLight, followSystem } from "@/state/light";
import { siteOf } from "@/state/paths";

applyLight();
followSystem();
setNonce(document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? "");
// The page has asked for the session already (see index.html), and what every view of the site needs is there in a moment; drawn before, a page would be
// drawn twice. Where it takes longer, a page that waits is better than none.
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
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
});
