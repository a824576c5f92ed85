import { clsx } from "clsx";
import type { ReactNode } from "react";

import type { HitRecord } from "@/api/client";
import { amount, duration } from "@/words/format";

const GLYPHS: Record<HitRecord["kind"], { path: string; className: string }> = {
  view: { path: "M5 1.8a3.2 3.2 0 1 0 .01 0", className: "fill-none stroke-ink-2" },
  event: { path: "M5 1 9 5 5 9 1 5Z", className: "fill-teal stroke-teal" },
  order: { path: "M1.5 1.5h7v7h-7Z", className: "fill-kelp-mark stroke-kelp-mark" },
  engage: { path: "M1.5 5h7", className: "fill-none stroke-ink-2" },
};

/** A mark for the kind of a hit, always beside its words. */
export function Glyph({ kind, className = "mr-[7px]" }: { kind: HitRecord["kind"]; className?: string }) {
  const glyph = GLYPHS[kind];
  return (
    <svg
      className={clsx("inline-block shrink-0 stroke-[1.4] align-baseline", glyph.className, className)}
      width="10"
      height="10"
      viewBox="0 0 10 10"
      aria-hidden="true"
    >
      <path d={glyph.path} />
    </svg>
  );
}

/** What happened, in a few words. */
export function hitWords(hit: HitRecord, currency: string): string {
  switch (hit.kind) {
    case "view":
      return hit.title || hit.page;
    case "event":
      return hit.name;
    case "order":
      return `order ${hit.order_id}`.trim() + (hit.value === null ? "" : `, ${amount(hit.value, hit.currency || currency)}`);
    default:
      return `stayed ${duration(hit.engaged_ms)}`;
  }
}

interface DetailsProps {
  hit: HitRecord;
  /** For how long its page was looked at, in milliseconds. */
  stayed: number;
  currency: string;
  className?: string;
}

/** The details of a hit: the time stayed, its value, its properties. */
export function Details({ hit, stayed, currency, className }: DetailsProps) {
  const props = Object.entries({ ...hit.props, ...hit.fields });
  const worth = hit.kind === "event" && hit.value !== null ? amount(hit.value, hit.currency || currency) : null;
  if (!props.length && !worth && !hit.repeated && !stayed) return null;
  return (
    <span className={clsx("text-label text-ink-2 [&>span+span]:ml-2.5", className)}>
      {stayed > 0 && <span>stayed {duration(stayed)}</span>}
      {worth && <span>worth {worth}</span>}
      {hit.repeated && <Flag>sent again, not counted</Flag>}
      {props.map(([key, value]) => (
        <span key={key}>
          {key}: {String(value)}
        </span>
      ))}
    </span>
  );
}

function Flag({ title, children }: { title?: string; children: ReactNode }) {
  return (
    <span className="ml-1.5 rounded-xs border border-buff px-[5px] text-small" title={title}>
      {children}
    </span>
  );
}

/** Whose hit it is, where that keeps it out of the reports. */
export function Flags({ internal, robot }: { internal: boolean; robot: boolean }) {
  return (
    <>
      {internal && <Flag title="Own traffic is left out of the reports.">own</Flag>}
      {robot && <Flag title="Robots are left out of the reports.">robot</Flag>}
    </>
  );
}
