import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { DropdownMenu } from "radix-ui";

import { ask, client, rememberCsrf, type Session } from "@/api/client";
import { HOME, STAGES, viewPath } from "@/app/stages";
import { showKeys } from "@/frame/Keys";
import { useHere } from "@/frame/useHere";
import { switchLight } from "@/state/light";
import { useView } from "@/state/view";

const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((word) => word.charAt(0).toUpperCase())
    .slice(0, 2)
    .join("");

export function Rail({ session }: { session: Session }) {
  const { site } = useView();
  const { stage: here } = useHere();
  const queries = useQueryClient();
  const signOut = async () => {
    await ask(client.DELETE("/api/v1/session"));
    rememberCsrf(null);
    queries.setQueryData(["session"], null);
    queries.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
  };
  return (
    <nav className="rail" aria-label="Stages">
      {STAGES.map((stage) => (
        <Link
          key={stage.name}
          className="stage"
          to={viewPath(site.key, stage.views[0]?.path ?? HOME)}
          search={(kept) => kept}
          aria-current={stage === here ? "true" : undefined}
          data-stage={stage.number}
        >
          <sup aria-hidden="true">{stage.number}</sup>
          <svg
            viewBox="0 0 25 25"
            fill="none"
            stroke="currentColor"
            strokeWidth="1.4"
            strokeLinecap="round"
            strokeLinejoin="round"
            aria-hidden="true"
          >
            {stage.icon}
          </svg>
          {stage.name}
        </Link>
      ))}
      <div className="foot">
        <button type="button" className="key" aria-label="All keys" onClick={showKeys}>
          ?
        </button>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="who" aria-label={`${initials(session.name)}, signed in as ${session.name}`}>
            {initials(session.name)}
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="menu" side="right" align="end" sideOffset={8}>
              <DropdownMenu.Label className="menu-label">
                {session.name}
                <br />
                <span className="quiet">{session.email}</span>
              </DropdownMenu.Label>
              <DropdownMenu.Item className="menu-item" onSelect={switchLight}>
                Day or night
                <kbd>d</kbd>
              </DropdownMenu.Item>
              <DropdownMenu.Item className="menu-item" onSelect={() => void signOut()}>
                Sign out
              </DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
    </nav>
  );
}
