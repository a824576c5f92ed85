import type { Part } from "../tools";

const MARKS = [25, 50, 75, 90];

/** How far down a page somebody came who scrolled: each mark once a view. */
const scroll: Part = ({ on, tell, when }) => {
  let reached = 0;
  when("viewed", () => (reached = 0));
  on(
    document,
    "scroll",
    () => {
      const page = document.documentElement;
      const percent = ((scrollY + innerHeight) / page.scrollHeight) * 100;
      for (const mark of MARKS) if (mark > reached && percent >= mark) tell("scroll depth", { percent: (reached = mark) });
    },
    true,
  );
};

uc_parts.push(scroll);
