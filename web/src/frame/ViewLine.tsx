import { Link } from "@tanstack/react-router";

import { viewPath } from "@/app/stages";
import { useHere } from "@/frame/useHere";
import { useView } from "@/state/view";

/** The views of the stage in hand, as a line of words. */
export function ViewLine() {
  const { site } = useView();
  const { stage, path } = useHere();
  return (
    <nav className="views" aria-label="Views">
      {stage?.views.map((view) => (
        <Link
          key={view.path}
          to={viewPath(site.key, view.path)}
          search={(kept) => kept}
          aria-current={path.startsWith(view.path) ? "page" : undefined}
        >
          {view.name}
        </Link>
      ))}
    </nav>
  );
}
