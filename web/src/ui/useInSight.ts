import { useCallback, useEffect, useRef, type RefObject } from "react";

/** What stands so far below the window comes into sight as soon as something above it becomes shorter. */
const NEARLY = "0px 0px 50%";

/** Whether what `place` is put on can be seen, or nearly; before it was drawn it is guessed. Nothing is laid out to tell, and nothing drawn anew for it. */
export function useInSight<Place extends HTMLElement>(guess = true): { place: RefObject<Place | null>; isInSight: () => boolean } {
  const place = useRef<Place>(null);
  const isSeen = useRef(guess);
  useEffect(() => {
    if (!place.current) return undefined;
    const watching = new IntersectionObserver((seen) => (isSeen.current = seen.at(-1)?.isIntersecting ?? true), { rootMargin: NEARLY });
    watching.observe(place.current);
    return () => watching.disconnect();
  }, []);
  return { place, isInSight: useCallback(() => isSeen.current, []) };
}
