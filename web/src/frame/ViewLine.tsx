import { Link } from "@tanstack/react-router";

import { useView } from "@/state/view";

export function ViewLine() {
  const { site } = useView();
  return (
    <nav className="views" aria-label="Views">
      <Link to="/s/$site/read/overview" params={{ site: site.key }} search={(kept) => kept} aria-current="page">
        Overview
      </Link>
    </nav>
  );
}
