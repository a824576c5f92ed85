/** The page comes first: whatever happens in here, nothing is thrown into it. */
export function safely<A extends unknown[], R>(run: (...given: A) => R): (...given: A) => R | undefined {
  return (...given) => {
    try {
      return run(...given);
    } catch {
      return undefined;
    }
  };
}

/** Listens without ever throwing into the page. */
export function on(target: EventTarget, kind: string, run: (event: Event) => void, capture = false): void {
  EventTarget.prototype.addEventListener.call(target, kind, safely(run), { capture, passive: true });
}
