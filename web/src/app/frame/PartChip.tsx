import { Link } from "@tanstack/react-router";

import type { SegmentPart } from "@/api/client";
import { elsewhere, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { Chip } from "@/ui/Chip";
import { partWords, segmentWords } from "@/words/segments";

interface PartChipProps {
  part: SegmentPart;
  onAway: () => void;
  isDimmed: boolean;
  /** What it is told apart by where several stand side by side. */
  letter?: string;
}

/** A whole segment that is read, or stands beside others: a chip that leads to where it is written. */
export function PartChip({ part, onAway, isDimmed, letter }: PartChipProps) {
  const { site, registry, segments } = useSite();
  const words = partWords(part, { registry, segments });
  const stored = part.kind === "saved" ? segments.find((one) => one.id === part.id) : undefined;
  const edit = part.kind === "saved" ? { edit: String(part.id) } : { edit: "new", draft: JSON.stringify(part.segment) };
  return (
    <Chip
      title={stored ? segmentWords(stored.segment, { registry, segments }) : words}
      away={letter ? `No longer side by side: ${words}` : `Remove: ${words}`}
      onAway={onAway}
      isDimmed={isDimmed}
    >
      <Link
        to="/s/$site/explain/segments"
        params={{ site: site.key }}
        search={(now: ViewSearch) => ({ ...elsewhere(now), ...edit })}
        className="text-inherit"
        aria-label={`Edit the segment: ${letter ? `${letter} ` : ""}${words}`}
      >
        {letter && <b className="font-serif">{letter}</b>} {words}
      </Link>
    </Chip>
  );
}
