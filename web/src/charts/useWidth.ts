import { useCallback, useState, type RefCallback } from "react";

/** The width of an element in whole pixels, kept up to date. */
export function useWidth<T extends HTMLElement>(): [RefCallback<T>, number] {
  const [width, setWidth] = useState(0);
  const ref = useCallback((element: T | null) => {
    if (!element) return;
    // Told at once too, when the page is laid out; to ask for it here would lay it out before its questions are under way.
    const watch = new ResizeObserver((seen) => setWidth(Math.floor(seen.at(-1)?.contentRect.width ?? 0)));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  return [ref, width];
}
