import { Link } from "@tanstack/react-router";
import type { ComponentProps } from "react";

import type { Segment, SegmentPart } from "@/api/client";
import { inOneHit, narrowedBy, partOfOne, type Places } from "@/api/figures";
import { elsewhere, narrowedTo, partText, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";

interface BehindProps extends Omit<ComponentProps<"a">, "href"> {
  /** The values that the visits have. */
  places: Places;
  /** A whole segment that they are in. */
  whole?: SegmentPart | undefined;
}

/** Values that hold in one hit are a segment of their own; the others are chips. */
function useNarrowing({ places, whole }: Pick<BehindProps, "places" | "whole">) {
  const { registry } = useSite();
  const { under } = useView();
  const isOfHit = (name: string) => name.startsWith("prop.") || registry?.dimensions.find((one) => one.name === name)?.of === "hit";
  const { others, oneHit } = inOneHit(places, isOfHit);
  const parts = [...(oneHit ? [partOfOne(oneHit)] : []), ...(whole ? [whole] : [])];
  const readToo = (now: ViewSearch): ViewSearch => {
    const narrowed = narrowedTo({ ...elsewhere(now), ...under }, others);
    return parts.length ? { ...narrowed, segment: [...new Set([...(narrowed.segment ?? []), ...parts.map(partText)])] } : narrowed;
  };
  return { others, oneHit, readToo };
}

/** To the visits that a figure was counted from. */
export function VisitsBehind({ places, whole, children = "The visits behind it", ...rest }: BehindProps) {
  const { site } = useSite();
  const { readToo } = useNarrowing({ places, whole });
  return (
    <Link to="/s/$site/watch/visits" params={{ site: site.key }} search={readToo} {...rest}>
      {children}
    </Link>
  );
}

/** To the editor of segments, which begins with those who have these values. */
export function SegmentOfThese({ places, whole, ...rest }: BehindProps) {
  const { site } = useSite();
  const { segment } = useView();
  const { others, oneHit } = useNarrowing({ places, whole });
  const draft = narrowedBy(
    segment,
    others.map(({ dimension, value }) => ({ dimension, values: [value], without: false })),
    [...(oneHit ? [oneHit] : []), ...(whole ? [whole] : [])],
  );
  return (
    <SegmentBegun site={site.key} draft={draft} {...rest}>
      Make a segment of it
    </SegmentBegun>
  );
}

interface SegmentBegunProps extends Omit<ComponentProps<"a">, "href"> {
  site: string;
  /** What the editor begins with. */
  draft: Segment | null;
}

/** To the editor of segments. */
export function SegmentBegun({ site, draft, ...rest }: SegmentBegunProps) {
  const { under } = useView();
  return (
    <Link
      to="/s/$site/explain/segments"
      params={{ site }}
      search={(now: ViewSearch) => ({ ...elsewhere(now), ...under, edit: "new", draft: draft ? JSON.stringify(draft) : undefined })}
      {...rest}
    />
  );
}

/** To Compare, where those who have these values are held against the rest. */
export function ComparedWithRest({ places, whole, ...rest }: BehindProps) {
  const { site } = useSite();
  const { readToo } = useNarrowing({ places, whole });
  return (
    <Link
      to="/s/$site/explain/compare"
      params={{ site: site.key }}
      search={(now: ViewSearch) => ({ ...readToo(now), group: "segment", against: undefined, by: undefined })}
      {...rest}
    >
      Compare with the rest
    </Link>
  );
}

/** To the funnel that those with these values walked to the goal. */
export function WayThere({ places, whole, ...rest }: BehindProps) {
  const { site } = useSite();
  const { readToo } = useNarrowing({ places, whole });
  return (
    <Link
      to="/s/$site/explain/funnels"
      params={{ site: site.key }}
      search={(now: ViewSearch) => ({ ...readToo(now), funnel: undefined, edit: undefined, by: undefined })}
      {...rest}
    >
      How did they get there?
    </Link>
  );
}
