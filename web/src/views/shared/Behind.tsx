import { Link } from "@tanstack/react-router";
import type { ComponentProps } from "react";

import { narrowedTo, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";

interface BehindProps extends Omit<ComponentProps<"a">, "href"> {
  /** The values that the visits have. */
  places: readonly { dimension: string; value: string }[];
}

/** To the visits that a figure was counted from. */
export function VisitsBehind({ places, ...rest }: BehindProps) {
  const { site } = useSite();
  return (
    <Link to="/s/$site/watch/visits" params={{ site: site.key }} search={(now: ViewSearch) => narrowedTo(now, places)} {...rest}>
      The visits behind it
    </Link>
  );
}

/** To Compare, where those who have these values are held against the rest. */
export function ComparedWithRest({ places, ...rest }: BehindProps) {
  const { site } = useSite();
  return (
    <Link
      to="/s/$site/explain/compare"
      params={{ site: site.key }}
      search={(now: ViewSearch) => ({ ...narrowedTo(now, places), group: "segment", against: undefined, by: undefined })}
      {...rest}
    >
      Compare with the rest
    </Link>
  );
}
