import type { ReactNode } from "react";

import type { Session, Site } from "@/api/client";
import { CalendarEdge } from "@/frame/CalendarEdge";
import { Keys } from "@/frame/Keys";
import { Mark } from "@/frame/Mark";
import { Rail } from "@/frame/Rail";
import { Strip } from "@/frame/Strip";
import { ViewLine } from "@/frame/ViewLine";
import { OpenedUpProvider } from "@/pieces/OpenedUp";
import { ViewProvider } from "@/state/view";

/** Strip, calendar edge, rail and line of views around a page. */
export function Frame({ site, sites, session, children }: { site: Site; sites: Site[]; session: Session; children: ReactNode }) {
  return (
    <ViewProvider site={site}>
      <OpenedUpProvider>
        <a className="skip" href="#page">
          To the page
        </a>
        <div className="frame">
          <Mark />
          <Strip sites={sites} />
          <CalendarEdge />
          <Rail session={session} />
          <ViewLine />
          <main className="page" id="page" tabIndex={-1}>
            {children}
          </main>
        </div>
        <Keys />
      </OpenedUpProvider>
    </ViewProvider>
  );
}
