import { useCallback, useState, type RefCallback } from "react";

/** The width of an element in whole pixels, kept up to date. */
export function useWidth<T extends HTMLElement>(): [RefCallback<T>, number] {
  const [width, setWidth] = useState(0);
  const ref = useCallback((element: T | null) => {
    if (!element) return;
    const look = () => setWidth(Math.floor(element.getBoundingClientRect().width));
    look();
    const watch = new ResizeObserver(look);
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  return [ref, width];
}
