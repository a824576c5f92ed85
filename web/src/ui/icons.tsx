const MARKS = {
  cross: "M1 1l6 6M7 1L1 7",
  chevron: "M1 2.5l3 3 3-3",
  check: "M1 4.5l2 2 4-5",
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
