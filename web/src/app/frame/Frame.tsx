import type { ReactNode } from "react";

import type { Session, Site } from "@/api/client";
import { LeavingProvider } from "@/forms/leaving";
import { CalendarEdge } from "@/app/frame/CalendarEdge";
import { Keys } from "@/app/frame/Keys";
import { Palette } from "@/app/frame/Palette";
import { Mark } from "@/app/frame/Mark";
import { Rail } from "@/app/frame/Rail";
import { Strip } from "@/app/frame/Strip";
import { useKeptFocus } from "@/app/frame/useKeptFocus";
import { ViewLine } from "@/app/frame/ViewLine";
import { LogbookProvider } from "@/views/logbook/LogbookProvider";
import { OpenedUpProvider } from "@/views/shared/OpenedUp";
import { SiteProvider } from "@/state/site";
import { ViewProvider } from "@/state/view";

const page = () => document.getElementById("page");

/** Strip, calendar edge, rail and line of views around a page. */
export function Frame({ site, sites, session, children }: { site: Site; sites: Site[]; session: Session; children: ReactNode }) {
  useKeptFocus(page);
  return (
    <SiteProvider site={site}>
      <ViewProvider>
        <LeavingProvider>
          <LogbookProvider>
            <OpenedUpProvider>
              <a className="absolute -left-[999px] z-30 bg-sheet px-2 py-1 focus:top-2 focus:left-2" href="#page">
                To the page
              </a>
              <div className="grid min-h-screen grid-cols-[var(--frame-rail)_minmax(0,1fr)] grid-rows-[minmax(var(--frame-strip),auto)_var(--frame-calendar)_var(--frame-views)_1fr] [grid-template-areas:'mark_strip'_'mark_calendar'_'rail_views'_'rail_page'] max-[720px]:grid-cols-[minmax(0,1fr)] max-[720px]:grid-rows-[auto_var(--frame-calendar)_var(--frame-views)_1fr_auto] max-[720px]:[--frame-gutter:12px] max-[720px]:[grid-template-areas:'strip'_'calendar'_'views'_'page'_'rail']">
                <Mark />
                <Strip sites={sites} />
                <CalendarEdge />
                {/* As long as the page, however far the rail goes along with it. */}
                <div className="border-r border-hairline [grid-area:rail] max-[720px]:hidden" aria-hidden />
                <Rail session={session} />
                <ViewLine />
                <main className="min-w-0 bg-sheet px-(--frame-gutter) pt-[18px] pb-6 outline-none [grid-area:page]" id="page" tabIndex={-1}>
                  {children}
                </main>
              </div>
              <Keys />
              <Palette />
            </OpenedUpProvider>
          </LogbookProvider>
        </LeavingProvider>
      </ViewProvider>
    </SiteProvider>
  );
}
