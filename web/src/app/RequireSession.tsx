import { useQuery } from "@tanstack/react-query";
import { Navigate, Outlet, useParams } from "@tanstack/react-router";

import { sessionQuery, sitesQuery } from "@/app/queries";
import { HOME, viewPath } from "@/app/stages";
import { Frame } from "@/frame/Frame";
import { ErrorState } from "@/pieces/ErrorState";
import { FirstSite } from "@/views/FirstSite";
import { SignIn } from "@/views/SignIn";

/** Lets in whoever is signed in, and leads to a site. */
export function RequireSession() {
  const { site } = useParams({ strict: false });
  const session = useQuery(sessionQuery);
  const sites = useQuery({ ...sitesQuery, enabled: Boolean(session.data) });
  if (session.isError || sites.isError) {
    return (
      <main className="door">
        <ErrorState error={session.error ?? sites.error} again={() => void (session.isError ? session.refetch() : sites.refetch())} />
      </main>
    );
  }
  if (session.isPending) return <main className="door" aria-busy="true" />;
  if (session.data === null) return <SignIn />;
  if (sites.isPending) return <main className="door" aria-busy="true" />;
  const first = sites.data[0];
  if (!first) return <FirstSite />;
  if (!site) return <Navigate to={viewPath(first.key, HOME)} search={(kept) => kept} replace />;
  const here = sites.data.find((one) => one.key === site);
  if (!here) {
    return (
      <main className="door">
        <h1 className="title">There is no such site here</h1>
        <p>It may belong to somebody else, or was taken away. Your sites:</p>
        <ul>
          {sites.data.map((one) => (
            <li key={one.key}>
              <a href={viewPath(one.key, HOME)}>{one.name}</a>
            </li>
          ))}
        </ul>
      </main>
    );
  }
  return (
    <Frame site={here} sites={sites.data} session={session.data}>
      <Outlet />
    </Frame>
  );
}
