import { useEffect, useState } from "react";

import { STAGES } from "@/app/stages";
import { switchLight } from "@/state/light";
import { daysIn, plusDays } from "@/state/days";
import { completeDays, useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Dialog } from "@/ui/Dialog";

const SHOW = "uc-show-keys";
export const showKeys = (): void => void window.dispatchEvent(new Event(SHOW));

const ALL: [string, string][] = [
  ["1 … 6", "to a stage of the work"],
  ["7", "the last seven days, and back to four weeks"],
  [",", "the period one step back"],
  [".", "the period one step on"],
  ["v", "versus on and off"],
  ["e", "add to the segment"],
  ["Ctrl Z", "take back the last narrowing"],
  ["↑ ↓ ← →", "move in a ledger, or along a chart"],
  ["Enter", "on a value: only these"],
  ["Alt Enter", "on a value: without these"],
  ["o", "open up the number in focus"],
  ["d", "day or night"],
  ["?", "this list"],
];

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.matches("input, select, textarea") || target.isContentEditable);

/** The keys that work everywhere, and the list of them. */
export function Keys() {
  const view = useView();
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const { period, site, setPeriod } = view;
    const shift = (direction: 1 | -1) => {
      const count = daysIn(period.first, period.last) * direction;
      const moved = { first: plusDays(period.first, count), last: plusDays(period.last, count) };
      if (moved.first <= site.today) setPeriod(moved);
    };
    const seven = () => setPeriod(completeDays(site.today, daysIn(period.first, period.last) === 7 ? 28 : 7));
    const stages = STAGES.map(({ number }): [string, () => void] => [
      String(number),
      () => document.querySelector<HTMLElement>(`[data-stage="${number}"]`)?.click(),
    ]);
    const actions: Record<string, () => void> = {
      ...Object.fromEntries(stages),
      "7": seven,
      ",": () => shift(-1),
      ".": () => shift(1),
      v: () => view.setVersus(view.versus === "none" ? "before" : "none"),
      e: () => document.querySelector<HTMLElement>("[data-key=e]")?.click(),
      d: switchLight,
      "?": () => setOpen(true),
    };
    const pressed = (event: KeyboardEvent) => {
      if (event.defaultPrevented || typing(event.target) || document.querySelector("[role=dialog][data-modal], [role=menu]")) return;
      if ((event.ctrlKey || event.metaKey) && event.key === "z") {
        event.preventDefault();
        view.undo();
      } else if (!event.ctrlKey && !event.metaKey && !event.altKey && actions[event.key]) {
        event.preventDefault();
        actions[event.key]?.();
      }
    };
    const show = () => setOpen(true);
    window.addEventListener("keydown", pressed);
    window.addEventListener(SHOW, show);
    return () => {
      window.removeEventListener("keydown", pressed);
      window.removeEventListener(SHOW, show);
    };
  }, [view]);
  return (
    <Dialog open={open} title="All keys" onClose={() => setOpen(false)}>
      <dl className="my-3">
        {ALL.map(([key, what]) => (
          <div key={key} className="grid grid-cols-[96px_1fr] border-b border-hairline py-1">
            <dt>
              <kbd>{key}</kbd>
            </dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
      <Button kind="primary" onClick={() => setOpen(false)}>
        Close
      </Button>
    </Dialog>
  );
}
