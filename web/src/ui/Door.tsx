import type { ComponentProps } from "react";

/** A page of its own, before there is a site to stand in. */
export function Door(props: ComponentProps<"main">) {
  return (
    <main
      className="mx-auto grid min-h-screen w-[min(560px,100%)] content-start justify-items-start gap-3 px-6 pt-[12vh] pb-12"
      {...props}
    />
  );
}
