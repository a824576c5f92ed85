import { useEffect, useState } from "react";

/** A value that follows another once that has rested for a while. */
export function useDebouncedValue<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const later = setTimeout(() => setSettled(value), milliseconds);
    return () => clearTimeout(later);
  }, [value, milliseconds]);
  return settled;
}
