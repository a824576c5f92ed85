import { createContext, lazy, Suspense, useContext, type ReactNode } from "react";

import type { SegmentPart } from "@/api/client";
import { isRecord, partOf } from "@/state/address";
import { isDay } from "@/state/days";
import { isText } from "@/state/shown";
import type { Under } from "@/state/view";
import type { Did } from "@/views/read/activityFigures";
import { useOpened } from "@/views/shared/useOpened";

const OpenedBehind = lazy(async () => ({ default: (await import("@/views/shared/OpenedBehind")).OpenedBehind }));

/** A number: a measure, of the visits that have these values, or of all. */
export interface Opened {
  measure: string;
  title: string;
  of?: { dimension: string; value: string }[];
  /** A whole segment that they are in. */
  part?: SegmentPart;
  /** Where it is a share: of whom. */
  outOf?: SegmentPart;
  /** Where it is how many times as large a share is as that of others: of these. */
  heldAgainst?: SegmentPart;
  /** Where those are of days of their own, of all visits. */
  heldUnder?: Under;
  /** Where it is a figure of a form, a promotion or a medium: which one. */
  did?: Did;
  /** Where it is how many were there in the last half hour: so many as it was opened. */
  present?: number;
  /** Where it is read of days of its own, of all visits. */
  under?: Under;
}

const isPlace = (given: unknown): given is { dimension: string; value: string } =>
  isRecord(given) && isText(given["dimension"]) && isText(given["value"]);

const isList = (given: unknown): given is Did["of"] => given === "forms" || given === "promotions" || given === "media";

/** What an address says is opened. */
function readOpened(given: unknown): Opened | null {
  if (!isRecord(given) || !isText(given["measure"]) || !isText(given["title"])) return null;
  const found: Opened = { measure: given["measure"], title: given["title"] };
  if (Array.isArray(given["of"])) found.of = given["of"].filter(isPlace);
  for (const key of ["part", "outOf", "heldAgainst"] as const) {
    const said = given[key];
    if (!isRecord(said)) continue;
    const part = said["kind"] === "saved" ? partOf(String(said["id"])) : partOf(JSON.stringify(said["segment"] ?? null));
    if (!part) return null;
    found[key] = part;
  }
  for (const key of ["under", "heldUnder"] as const) {
    const under = given[key];
    if (!isRecord(under)) continue;
    const { from, to, goal } = under;
    if (!isText(from) || !isText(to) || !isDay(from) || !isDay(to) || from > to) return null;
    found[key] = { from, to, ...(typeof goal === "number" ? { goal } : {}) };
  }
  const { did, present } = given;
  if (typeof present === "number" && Number.isInteger(present)) found.present = present;
  if (isRecord(did) && isList(did["of"]) && isText(did["name"]) && isText(did["figure"]))
    found.did = { of: did["of"], name: did["name"], figure: did["figure"] };
  return found;
}

const Context = createContext<(opened: Opened) => void>(() => undefined);
export const useOpenUp = () => useContext(Context);

/** The drawer behind every number: what it is, its formula, its parts, its course. */
export function OpenedUpProvider({ children }: { children: ReactNode }) {
  const [opened, open, drawer] = useOpened("opened up", readOpened);
  return (
    <Context.Provider value={open}>
      {children}
      {opened && (
        <Suspense>
          <OpenedBehind opened={opened} {...drawer} />
        </Suspense>
      )}
    </Context.Provider>
  );
}
