import type { ReactNode } from "react";

import { ViewPending } from "@/ledger/ViewPending";
import { useSite } from "@/state/site";
import { EmptyNote, ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";

/** A view that says something of a goal: until the site is read, and where it has none, that stands instead. `then`: what a goal would bring here. */
export function OfAGoal({ then, children }: { then: string; children: ReactNode }) {
  const { trouble, again, ready, goals } = useSite();
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (!ready) return <ViewPending />;
  if (goals.length) return children;
  return (
    <div className="grid gap-3">
      <Answer>Nothing counts as a conversion yet.</Answer>
      <EmptyNote>Say under Tag → Goals what counts; then it stands here which channels and pages {then}.</EmptyNote>
    </div>
  );
}
