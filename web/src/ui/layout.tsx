import { clsx } from "clsx";
import type { ComponentProps, ReactNode } from "react";

import { Title } from "@/ui/text";

interface StackProps extends ComponentProps<"div"> {
  /** Whether it takes the room of a ledger. */
  isWide?: boolean;
}

/** The parts of a view beneath each other. */
export function Stack({ isWide = false, className, ...rest }: StackProps) {
  return (
    <div className={clsx("grid grid-cols-[minmax(0,1fr)] gap-[18px]", isWide ? "max-w-[1500px]" : "max-w-[1240px]", className)} {...rest} />
  );
}

/** What is worked on, and beside it what is said of it; beneath each other where there is no room. */
export function Sides({ className, ...rest }: ComponentProps<"div">) {
  return (
    <div
      className={clsx(
        "grid max-w-[1500px] grid-cols-[minmax(0,1fr)] items-start gap-x-9 gap-y-3.5 min-[1000px]:grid-cols-[minmax(0,1.75fr)_minmax(0,1fr)]",
        className,
      )}
      {...rest}
    />
  );
}

interface PartProps extends Omit<ComponentProps<"section">, "title"> {
  title?: ReactNode;
  /** Whether it is wider than a text is read well. */
  isWide?: boolean;
}

/** A part of a view, under its title. */
export function Part({ title, isWide = false, className, children, ...rest }: PartProps) {
  return (
    <section className={clsx("grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-2", !isWide && "max-w-[78ch]", className)} {...rest}>
      {title && <Title>{title}</Title>}
      {children}
    </section>
  );
}

/** What came of something that was tried, marked at its side. */
export function Told({ isAmiss = false, className, ...rest }: ComponentProps<"div"> & { isAmiss?: boolean }) {
  return (
    <div
      data-told
      className={clsx("grid justify-items-start gap-1 border-l-2 px-3.5 py-2", isAmiss ? "border-rust" : "border-kelp-mark", className)}
      {...rest}
    />
  );
}

/** A small remark beside a field. */
export function Remark({ className, ...rest }: ComponentProps<"p">) {
  return (
    <p
      className={clsx("text-label leading-[18px] text-ink-2 before:font-bold before:text-teal before:content-['·_']", className)}
      {...rest}
    />
  );
}
