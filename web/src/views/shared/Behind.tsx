import { Link } from "@tanstack/react-router";
import type { ComponentProps } from "react";

import type { Segment, SegmentPart } from "@/api/client";
import { narrowedBy } from "@/api/figures";
import { elsewhere, narrowedTo, partText, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";

interface BehindProps extends Omit<ComponentProps<"a">, "href"> {
  /** The values that the visits have. */
  places: readonly { dimension: string; value: string }[];
  /** A whole segment that they are in. */
  whole?: SegmentPart | undefined;
}

const readToo = (now: ViewSearch, { places, whole }: Pick<BehindProps, "places" | "whole">): ViewSearch => {
  const narrowed = narrowedTo(elsewhere(now), places);
  return whole ? { ...narrowed, segment: [...new Set([...(narrowed.segment ?? []), partText(whole)])] } : narrowed;
};

/** To the visits that a figure was counted from. */
export function VisitsBehind({ places, whole, ...rest }: BehindProps) {
  const { site } = useSite();
  return (
    <Link to="/s/$site/watch/visits" params={{ site: site.key }} search={(now: ViewSearch) => readToo(now, { places, whole })} {...rest}>
      The visits behind it
    </Link>
  );
}

/** To the editor of segments, which begins with those who have these values. */
export function SegmentOfThese({ places, whole, ...rest }: BehindProps) {
  const { site } = useSite();
  const { segment } = useView();
  const draft = narrowedBy(
    segment,
    places.map(({ dimension, value }) => ({ dimension, values: [value], without: false })),
    whole ? [whole] : [],
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
  return (
    <Link
      to="/s/$site/explain/segments"
      params={{ site }}
      search={(now: ViewSearch) => ({ ...elsewhere(now), edit: "new", draft: draft ? JSON.stringify(draft) : undefined })}
      {...rest}
    />
  );
}

/** To Compare, where those who have these values are held against the rest. */
export function ComparedWithRest({ places, whole, ...rest }: BehindProps) {
  const { site } = useSite();
  return (
    <Link
      to="/s/$site/explain/compare"
      params={{ site: site.key }}
      search={(now: ViewSearch) => ({ ...readToo(now, { places, whole }), group: "segment", against: undefined, by: undefined })}
      {...rest}
    >
      Compare with the rest
    </Link>
  );
}
