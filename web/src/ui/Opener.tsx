import { clsx } from "clsx";
import type { ComponentProps } from "react";

interface OpenerProps extends Omit<ComponentProps<"button">, "onToggle"> {
  isOpen: boolean;
  onToggle: () => void;
}

/** What opens a line in its place. */
export function Opener({ isOpen, onToggle, className, children, ...rest }: OpenerProps) {
  return (
    <button
      type="button"
      aria-expanded={isOpen}
      onClick={onToggle}
      className={clsx("flex max-w-full min-w-0 items-baseline text-left", className)}
      {...rest}
    >
      <span
        aria-hidden="true"
        className={clsx(
          "mr-[7px] ml-px inline-block shrink-0 border-4 border-r-0 border-l-[5px] border-transparent border-l-teal",
          isOpen && "rotate-90",
        )}
      />
      <span className="min-w-0 truncate">{children}</span>
    </button>
  );
}
