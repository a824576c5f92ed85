import { elsewhere } from "@/state/address";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { clsx } from "clsx";

import { ask, client, rememberCsrf, type Session } from "@/api/client";
import { STAGES } from "@/app/stages";
import { ACCOUNT, HOME } from "@/state/paths";
import { showKeys, showPalette } from "@/app/frame/showing";
import { useHere } from "@/app/frame/useHere";
import { switchLight } from "@/state/light";
import { useSite } from "@/state/site";
import { Menu, MenuItem } from "@/ui/Menu";
import { notify } from "@/ui/Toast";

const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((word) => word.charAt(0).toUpperCase())
    .slice(0, 2)
    .join("");

const STAGE = "relative flex h-16 flex-col items-center justify-center gap-[3px] text-small max-[720px]:h-13 max-[720px]:w-16";
/** Where one is: a pointer in the edge of the rail. */
const HERE =
  "font-semibold text-ink after:absolute after:top-1/2 after:-right-px after:-mt-[7px] after:border-7 after:border-l-0 after:border-transparent after:border-r-magenta max-[720px]:after:hidden";

export function Rail({ session }: { session: Session }) {
  const { site } = useSite();
  const { stage: here } = useHere();
  const queries = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/session")),
    onSuccess: () => {
      rememberCsrf(null);
      queries.setQueryData(["session"], null);
      queries.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
    },
    onError: (error) => notify(`You are still signed in. ${error.detail}`),
  });
  return (
    <nav
      className="sticky top-0 flex h-[calc(100vh-var(--frame-strip)-var(--frame-calendar))] min-h-50 flex-col self-start pt-2 [grid-area:rail] max-[720px]:top-auto max-[720px]:bottom-0 max-[720px]:z-10 max-[720px]:h-14 max-[720px]:min-h-0 max-[720px]:flex-row max-[720px]:items-center max-[720px]:self-auto max-[720px]:border-t max-[720px]:border-hairline max-[720px]:bg-paper max-[720px]:px-3 max-[720px]:pt-0"
      aria-label="Stages"
    >
      {STAGES.map((stage) => (
        <Link
          key={stage.name}
          className={clsx(STAGE, stage === here ? HERE : "text-ink-2")}
          to={stage.views[0]?.path ?? HOME}
          params={{ site: site.key }}
          search={elsewhere}
          aria-current={stage === here ? "true" : undefined}
          data-stage={stage.number}
        >
          <span className="absolute top-3.5 left-[9px] text-micro leading-[11px]" aria-hidden="true">
            {stage.number}
          </span>
          <svg
            className="size-[26px]"
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
      <div className="mt-auto grid justify-items-center gap-2.5 pb-3 max-[720px]:mt-0 max-[720px]:ml-auto max-[720px]:grid-flow-col max-[720px]:pb-0">
        <button
          type="button"
          className="size-6 rounded-xs border border-hairline-firm bg-sheet text-center text-ink-2"
          aria-label="Find, or do"
          title="Find, or do (/)"
          onClick={showPalette}
        >
          /
        </button>
        <button
          type="button"
          className="size-6 rounded-xs border border-hairline-firm bg-sheet text-center text-ink-2"
          aria-label="All keys"
          onClick={showKeys}
        >
          ?
        </button>
        <Menu
          side="right"
          align="end"
          label={
            <>
              {session.name}
              <br />
              <span className="text-ink-2">{session.email}</span>
            </>
          }
          trigger={
            <button
              type="button"
              className="grid size-7 place-items-center rounded-full border border-hairline-firm text-small"
              aria-label={`${initials(session.name)}, signed in as ${session.name}`}
            >
              {initials(session.name)}
            </button>
          }
        >
          <MenuItem asChild>
            <Link to={ACCOUNT} params={{ site: site.key }} search={elsewhere}>
              Your account
            </Link>
          </MenuItem>
          <MenuItem onSelect={switchLight}>
            Day or night
            <kbd>d</kbd>
          </MenuItem>
          <MenuItem onSelect={() => signOut.mutate()}>Sign out</MenuItem>
        </Menu>
      </div>
    </nav>
  );
}
