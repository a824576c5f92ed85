import { useEffect } from "react";

const FOCUSABLE =
  "a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), summary, [tabindex='0']";

/** Where something stood: on each level up, what it stood in and what stood behind and before it. */
type Place = { parent: Element; behind: Element | null; before: Element | null }[];

function placeOf(element: Element, within: Element): Place {
  const place: Place = [];
  for (let one = element; one !== within && one.parentElement; one = one.parentElement)
    place.push({ parent: one.parentElement, behind: one.nextElementSibling, before: one.previousElementSibling });
  return place;
}

const first = (box: Element): HTMLElement | null =>
  box.matches(FOCUSABLE) ? (box as HTMLElement) : box.querySelector<HTMLElement>(FOCUSABLE);
const last = (box: Element): HTMLElement | undefined =>
  box.matches(FOCUSABLE) ? (box as HTMLElement) : [...box.querySelectorAll<HTMLElement>(FOCUSABLE)].at(-1);

/** What comes next where something stood: behind it, else before it, else one level up. */
function nextTo(place: Place): HTMLElement | null {
  for (const { parent, behind, before } of place) {
    if (!parent.isConnected) continue;
    for (let one = behind?.isConnected ? behind : null; one; one = one.nextElementSibling) if (first(one)) return first(one);
    for (let one = before?.isConnected ? before : null; one; one = one.previousElementSibling) if (last(one)) return last(one) ?? null;
    if (first(parent)) return first(parent);
  }
  return null;
}

/** When what had the focus in a page is taken from it, the focus goes to what comes next there; what rests while it is busy has it back. */
export function useKeptFocus(page: () => HTMLElement | null): void {
  useEffect(() => {
    const box = page();
    if (!box) return;
    let held: HTMLElement | null = null;
    let place: Place = [];
    const took = ({ target }: FocusEvent) => {
      if (!(target instanceof HTMLElement) || target === box) return;
      held = target;
      place = placeOf(target, box);
    };
    const left = ({ target, relatedTarget }: FocusEvent) => {
      // A dialog gives it back. Whoever goes elsewhere by hand is not called back.
      if (relatedTarget instanceof Element && relatedTarget.closest("[role=dialog], [role=menu]")) return;
      // Nor is what was taken from it by resting left by hand, though it may be busy no more when one looks again.
      if (target instanceof Element && target.matches(":disabled")) return;
      requestAnimationFrame(() => {
        if (target === held && held?.isConnected && !held.matches(":disabled") && document.activeElement !== held) held = null;
      });
    };
    let asked = 0;
    const look = () => {
      // Not in the turn of a key: what has the focus at its end is what the key presses.
      asked ||= requestAnimationFrame(() => {
        asked = 0;
        if (!held || document.activeElement !== document.body || (held.isConnected && held.matches(":disabled"))) return;
        const next = held.isConnected ? held : (nextTo(place) ?? box);
        held = null;
        // It stands where the other one stood; who scrolls on is not pulled back.
        next.focus({ preventScroll: true });
      });
    };
    const watch = new MutationObserver(look);
    watch.observe(document.body, { childList: true, subtree: true, attributeFilter: ["disabled"] });
    box.addEventListener("focusin", took);
    box.addEventListener("focusout", left);
    return () => {
      watch.disconnect();
      box.removeEventListener("focusin", took);
      box.removeEventListener("focusout", left);
    };
  }, [page]);
}
