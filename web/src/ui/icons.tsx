const MARKS = {
  cross: "M1 1l6 6M7 1L1 7",
  chevron: "M1 2.5l3 3 3-3",
  check: "M1 4.5l2 2 4-5",
  up: "M1 5.5l3-3 3 3",
};

const mark = (path: string) =>
  function Icon() {
    return (
      <svg width="8" height="8" viewBox="0 0 8 8" className="shrink-0" aria-hidden="true">
        <path d={path} fill="none" stroke="currentColor" strokeWidth="1.25" />
      </svg>
    );
  };

export const Cross = mark(MARKS.cross);
export const Chevron = mark(MARKS.chevron);
export const Check = mark(MARKS.check);
export const Up = mark(MARKS.up);

export function Dots() {
  return (
    <svg width="12" height="8" viewBox="0 0 12 8" className="shrink-0" aria-hidden="true">
      <path d="M1.5 4h.01M6 4h.01M10.5 4h.01" stroke="currentColor" strokeWidth="2.25" strokeLinecap="round" />
    </svg>
  );
}
