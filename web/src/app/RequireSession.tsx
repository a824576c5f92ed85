import { useQuery } from "@tanstack/react-query";
import { Suspense, useEffect } from "react";

import { Door } from "@/ui/Door";
import { lazyRouteComponent, Link, Navigate, Outlet, useParams } from "@tanstack/react-router";

import type { Session, Site } from "@/api/client";
import { prefetchSite, sessionQuery, sitesQuery } from "@/api/queries";
import { HOME } from "@/state/paths";
import { Frame } from "@/app/frame/Frame";
import { ErrorState } from "@/ui/states";
import { forgetNotices, Notices } from "@/ui/Toast";

// Who is signed in meets neither, nor the forms that they are made of.
const FirstSite = lazyRouteComponent(() => import("@/views/start/FirstSite"), "FirstSite");
const SignIn = lazyRouteComponent(() => import("@/views/start/SignIn"), "SignIn");

/** Lets in whoever is signed in, and leads to a site. */
export function RequireSession() {
  return (
    <Suspense fallback={<Door aria-busy="true" />}>
      <LetIn />
    </Suspense>
  );
}

function LetIn() {
  const { site } = useParams({ strict: false });
  const session = useQuery(sessionQuery);
  const isSignedIn = Boolean(session.data);
  const sites = useQuery({ ...sitesQuery, enabled: isSignedIn });
  // What every view of a site needs is asked for beside the sites, not behind them.
  useEffect(() => {
    if (!isSignedIn || !site) return;
    void prefetchSite(site);
  }, [isSignedIn, site]);
  useEffect(() => {
    if (session.data === null) forgetNotices();
  }, [session.data]);
  if (session.isError || sites.isError) {
    return (
      <Door>
        <ErrorState error={session.error ?? sites.error} again={() => void (session.isError ? session.refetch() : sites.refetch())} />
      </Door>
    );
  }
  if (session.isPending) return <Door aria-busy="true" />;
  if (session.data === null) return <SignIn />;
  if (sites.isPending) return <Door aria-busy="true" />;
  return (
    <>
      <Inside session={session.data} sites={sites.data} site={site} />
      <Notices />
    </>
  );
}

/** What is shown of a site, or of none. */
function Inside({ session, sites, site }: { session: Session; sites: Site[]; site: string | undefined }) {
  const first = sites[0];
  if (!first) return <FirstSite />;
  if (!site) return <Navigate to={HOME} params={{ site: first.key }} search replace />;
  const here = sites.find((one) => one.key === site);
  if (!here) {
    return (
      <Door>
        <h1 className="font-serif text-title font-[560]">There is no such site here</h1>
        <p>It may belong to somebody else, or was removed. Your sites:</p>
        <ul>
          {sites.map((one) => (
            <li key={one.key}>
              <Link to={HOME} params={{ site: one.key }}>
                {one.name}
              </Link>
            </li>
          ))}
        </ul>
      </Door>
    );
  }
  return (
    <Frame key={here.key} site={here} sites={sites} session={session}>
      <Outlet />
    </Frame>
  );
}
