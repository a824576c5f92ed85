import { useEffect, useRef, useState } from "react";

import { STAGES } from "@/app/stages";
import { SHOW_KEYS, showPalette } from "@/app/frame/showing";
import { switchLight } from "@/state/light";
import { completeDays, daysIn, plusDays } from "@/state/days";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Dialog } from "@/ui/Dialog";

const ALL: [string, string][] = [
  ["/", "find a view, a page, a campaign, an event, or do something"],
  [`1 … ${STAGES.length}`, "to a stage of the work"],
  ["7", "the last seven days, and back to four weeks"],
  [",", "the period one step back"],
  [".", "the period one step on"],
  ["v", "versus on and off"],
  ["e", "add to the segment"],
  ["n", "a note in the logbook on what is in view"],
  ["Ctrl Z", "take back what was done last: chosen at the top, or told with Undo"],
  ["↑ ↓ ← →", "move in a ledger, or along a chart"],
  ["Enter", "on a value: only these"],
  ["Alt Enter", "on a value: without these"],
  ["Space", "open a row of a ledger in place, and close it"],
  ["m", "the actions for a row"],
  ["Alt ← →", "on a head: narrower and wider"],
  ["o", "open up the number in focus"],
  ["+ −", "in Paths: open a branch, and close it"],
  ["p", "in Now: pause, and resume"],
  ["d", "day or night"],
  ["?", "this list"],
];

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.matches("input, select, textarea") || target.isContentEditable);

/** A field that just lost the focus may have done so while somebody typed on. */
const JUST_MS = 1_500;

/** The keys that work everywhere, and the list of them. */
export function Keys() {
  const { site } = useSite();
  const { period, versus } = useView();
  const steering = useSteering();
  const [open, setOpen] = useState(false);
  const left = useRef(-JUST_MS);
  useEffect(() => {
    const { setPeriod, setVersus, undo } = steering;
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
      v: () => setVersus(versus === "none" ? "before" : "none"),
      e: () => document.querySelector<HTMLElement>("[data-key=e]")?.click(),
      n: () => document.querySelector<HTMLElement>("[data-key=n]")?.click(),
      d: switchLight,
      "?": () => setOpen(true),
      "/": showPalette,
    };
    const isBusy = () => performance.now() - left.current < JUST_MS || document.querySelector("form[data-dirty=true]") !== null;
    const blurred = (event: FocusEvent) => {
      // A dialog was closed on purpose; nobody types on into it.
      const isClosed = event.target instanceof Element && event.target.closest("[role=dialog][data-modal]");
      if (typing(event.target) && !isClosed) left.current = performance.now();
    };
    const pressed = (event: KeyboardEvent) => {
      if (event.defaultPrevented || typing(event.target) || document.querySelector("[role=dialog][data-modal], [role=menu]")) return;
      if ((event.ctrlKey || event.metaKey) && event.key === "z") {
        event.preventDefault();
        undo();
      } else if (!event.ctrlKey && !event.metaKey && !event.altKey && actions[event.key] && !isBusy()) {
        event.preventDefault();
        actions[event.key]?.();
      }
    };
    const show = () => setOpen(true);
    window.addEventListener("keydown", pressed);
    window.addEventListener("focusout", blurred);
    window.addEventListener(SHOW_KEYS, show);
    return () => {
      window.removeEventListener("keydown", pressed);
      window.removeEventListener("focusout", blurred);
      window.removeEventListener(SHOW_KEYS, show);
    };
  }, [site, period, versus, steering]);
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
