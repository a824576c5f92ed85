import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";

import type { CellControl } from "@/ledger/columns";
import { elsewhere, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";

interface VisitLinkProps {
  visitor: string;
  number: number;
  control?: CellControl;
  children: ReactNode;
}

/** Leads to one visit of a visitor, by its number. */
export function VisitLink({ visitor, number, control, children }: VisitLinkProps) {
  const { site } = useSite();
  return (
    <Link
      className="text-teal underline decoration-sea-2 decoration-1 underline-offset-3"
      {...control}
      to="/s/$site/watch/visits/$visitor/$number"
      params={{ site: site.key, visitor, number: String(number) }}
      search={(now: ViewSearch) => ({ ...elsewhere(now), visitor: undefined })}
    >
      {children}
    </Link>
  );
}
