import { useEffect, useRef, useState } from "react";

/** A value that follows another once that has rested for a while. It rests while it says the same: what is made anew at each turn does too. */
export function useDebouncedValue<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  const latest = useRef(value);
  useEffect(() => {
    latest.current = value;
  });
  const text = JSON.stringify(value);
  useEffect(() => {
    const later = setTimeout(() => setSettled((now) => (JSON.stringify(now) === text ? now : latest.current)), milliseconds);
    return () => clearTimeout(later);
  }, [text, milliseconds]);
  return settled;
}
