import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { DropdownMenu } from "radix-ui";

import { ask, client, rememberCsrf, type Session } from "@/api/client";
import { showKeys } from "@/frame/Keys";
import { switchLight } from "@/state/light";
import { useView } from "@/state/view";

/** The stages that have a view; the others join as they come. */
const STAGES = [
  {
    name: "Read",
    number: 3,
    icon: (
      <>
        <circle cx="12.5" cy="4.4" r="1.9" />
        <path d="M11.7 6.2 6 21.5M13.3 6.2 19 21.5" />
        <path d="M8.8 14.2a9 9 0 0 0 7.4 0" />
      </>
    ),
  },
];

const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((word) => word.charAt(0).toUpperCase())
    .slice(0, 2)
    .join("");

export function Rail({ session }: { session: Session }) {
  const { site } = useView();
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
          to="/s/$site/read/overview"
          params={{ site: site.key }}
          search={(kept) => kept}
          aria-current="true"
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
