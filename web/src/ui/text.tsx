import { clsx } from "clsx";
import type { ComponentProps } from "react";

/** What a view says first: its answer, as a sentence. */
export function Answer({ className, children, ...rest }: ComponentProps<"h1">) {
  return (
    <h1
      className={clsx("col-span-full max-w-[900px] font-serif text-answer font-[420] tracking-answer text-pretty wrap-anywhere", className)}
      {...rest}
    >
      {/* Until it is there its place is kept, and told to who cannot see that it is. */}
      {children === " " ? <span className="sr-only">Reading …</span> : children}&#8203;
    </h1>
  );
}

interface TitleProps extends ComponentProps<"h2"> {
  level?: 2 | 3;
}

/** The title of a part of a view. */
export function Title({ level = 2, className, ...rest }: TitleProps) {
  const Heading = `h${level}` as const;
  return <Heading className={clsx("font-serif text-title font-[560] wrap-anywhere", className)} {...rest} />;
}

/** Buttons, and what is said of them, in a line. */
export function Actions({ className, ...rest }: ComponentProps<"div">) {
  return <div className={clsx("col-span-full mt-1 flex flex-wrap items-center gap-3", className)} {...rest} />;
}
