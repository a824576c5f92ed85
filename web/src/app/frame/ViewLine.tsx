import { elsewhere } from "@/state/address";
import { Link } from "@tanstack/react-router";

import { useEffect, useRef } from "react";

import { useHere } from "@/app/frame/useHere";
import { LogbookDoor } from "@/app/frame/LogbookDoor";
import { useSite } from "@/state/site";

/** The views of the stage in hand, as a line of words. */
export function ViewLine() {
  const { site } = useSite();
  const { stage, name, path } = useHere();
  const current = useRef<HTMLAnchorElement>(null);
  // Where the line is longer than a phone is wide, the view in hand is seen. Not before the page is laid out anyway: what the view asks for goes first.
  useEffect(() => {
    const drawn = requestAnimationFrame(() => current.current?.scrollIntoView({ block: "nearest", inline: "nearest" }));
    return () => cancelAnimationFrame(drawn);
  }, [path]);
  return (
    <nav
      className="flex items-stretch gap-[26px] overflow-x-auto overflow-y-hidden border-b border-hairline px-(--frame-gutter) whitespace-nowrap [grid-area:views] [scrollbar-width:none]"
      aria-label="Views"
    >
      <title>{[name, site.name, "Upper Compass"].filter(Boolean).join(" · ")}</title>
      {stage?.views.map((view) => (
        <Link
          key={view.path}
          className="relative flex items-center text-ink-2 aria-[current=page]:font-semibold aria-[current=page]:text-ink aria-[current=page]:after:absolute aria-[current=page]:after:inset-x-0 aria-[current=page]:after:bottom-0 aria-[current=page]:after:h-0.5 aria-[current=page]:after:bg-magenta"
          to={view.path}
          params={{ site: site.key }}
          search={elsewhere}
          aria-current={path.startsWith(view.path) ? "page" : undefined}
          ref={path.startsWith(view.path) ? current : undefined}
        >
          {view.name}
        </Link>
      ))}
      <LogbookDoor />
    </nav>
  );
}
