import { cva, type VariantProps } from "class-variance-authority";
import type { ComponentProps } from "react";

const button = cva("rounded-xs text-start disabled:opacity-60", {
  variants: {
    kind: {
      primary: "min-h-8 justify-self-start border border-ink bg-ink px-3.5 leading-[30px] font-medium text-on-ink",
      plain: "min-h-8 justify-self-start border border-hairline-firm bg-sheet px-3.5 leading-[30px] font-medium text-ink",
      link: "wrap-anywhere text-teal decoration-1 underline-offset-3 hover:underline",
      quiet: "text-ink-2 decoration-1 underline-offset-3 hover:underline",
      /** In a row of a table, where a link is told by its line. */
      cell: "text-teal underline decoration-sea-2 decoration-1 underline-offset-3",
      /** Only a picture: it says what it does by its label. */
      icon: "inline-grid min-h-6 min-w-6 place-items-center text-ink-2 hover:text-ink",
    },
  },
  defaultVariants: { kind: "plain" },
});

export type ButtonKind = NonNullable<VariantProps<typeof button>["kind"]>;

export function Button({ kind, className, type = "button", ...rest }: ComponentProps<"button"> & VariantProps<typeof button>) {
  return <button type={type} className={button({ kind, className })} {...rest} />;
}
