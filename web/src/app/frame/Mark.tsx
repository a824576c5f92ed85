import { Link } from "@tanstack/react-router";

import { Compass } from "@/ui/Compass";

/** The mark: it leads to the first view. */
export function Mark() {
  return (
    <nav className="grid border-r border-hairline [grid-area:mark] max-[720px]:hidden" aria-label="Home">
      <Link className="grid place-items-center" to="/" aria-label="Upper Compass, to the first view">
        <Compass />
      </Link>
    </nav>
  );
}
