import "./styles/app.css";

import { QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { queries, sessionQuery, sitesQuery } from "@/api/queries";
import { router } from "@/app/router";
import { applyLight, followSystem } from "@/state/light";

applyLight();
followSystem();
setNonce(document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? "");
// The page has asked for the session already (see index.html); going on before anything is drawn saves a way there and back.
void queries
  .fetchQuery(sessionQuery)
  .then((session) => session && queries.prefetchQuery(sitesQuery))
  .catch(() => undefined);
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
}
