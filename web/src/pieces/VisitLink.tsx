import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";

import { viewPath } from "@/app/stages";
import { useView } from "@/state/view";

/** Leads to one visit of a visitor, by its number. */
export function VisitLink({ visitor, number, children }: { visitor: string; number: number; children: ReactNode }) {
  const { site } = useView();
  return (
    <Link
      className="link"
      to={viewPath(site.key, `watch/visits/${encodeURIComponent(visitor)}/${number}`)}
      search={(kept) => ({ ...kept, visitor: undefined })}
    >
      {children}
    </Link>
  );
}
