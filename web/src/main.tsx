import "./styles/app.css";

import { QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { queries, sessionQuery, sitesQuery } from "@/app/queries";
import { router } from "@/app/router";
import { applyLight } from "@/state/light";

applyLight();
// Both are needed whatever is shown; asking for them at once saves a way there and back.
void queries.prefetchQuery(sessionQuery);
void queries.prefetchQuery(sitesQuery);
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
