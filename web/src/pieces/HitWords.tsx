import type { HitRecord } from "@/api/client";
import { amount, duration } from "@/words/format";

const GLYPHS: Record<HitRecord["kind"], string> = {
  view: "M5 1.8a3.2 3.2 0 1 0 .01 0",
  event: "M5 1 9 5 5 9 1 5Z",
  order: "M1.5 1.5h7v7h-7Z",
  engage: "M1.5 5h7",
};

/** A mark for the kind of a hit, always beside its words. */
export function Glyph({ kind }: { kind: HitRecord["kind"] }) {
  return (
    <svg className={`glyph ${kind}`} width="10" height="10" viewBox="0 0 10 10" aria-hidden="true">
      <path d={GLYPHS[kind]} />
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

/** The details of a hit: its value and its properties. */
export function Details({ hit, currency }: { hit: HitRecord; currency: string }) {
  const props = Object.entries({ ...hit.props, ...hit.fields });
  const worth = hit.kind === "event" && hit.value !== null ? amount(hit.value, hit.currency || currency) : null;
  if (!props.length && !worth && !hit.repeated) return null;
  return (
    <span className="details">
      {worth && <span>worth {worth}</span>}
      {hit.repeated && <span className="flagged">sent again, not counted</span>}
      {props.map(([key, value]) => (
        <span key={key}>
          <i>{key}</i> {String(value)}
        </span>
      ))}
    </span>
  );
}

/** Whose hit it is, where that keeps it out of the reports. */
export function Flags({ internal, robot }: { internal: boolean; robot: boolean }) {
  return (
    <>
      {internal && (
        <span className="flagged" title="Own traffic is left out of the reports.">
          own
        </span>
      )}
      {robot && (
        <span className="flagged" title="Robots are left out of the reports.">
          robot
        </span>
      )}
    </>
  );
}
