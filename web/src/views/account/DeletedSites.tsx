import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";

import { ask, client } from "@/api/client";
import { deletedSitesQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { HOME } from "@/state/paths";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { longDay } from "@/words/format";

/** Sites of one's own that were deleted and can still be brought back; nothing where there is none. */
export function DeletedSites() {
  const navigate = useNavigate();
  const found = useQuery(deletedSitesQuery);
  const back = useSave(
    "everything",
    (key: string) => ask(client.POST("/api/v1/deleted-sites/{key}/restored", { params: { path: { key } } })),
    ({ key }) => void navigate({ to: HOME, params: { site: key }, search: {} }),
  );
  if (!found.data?.length) return null;
  return (
    <Part title="Deleted sites" aria-label="Deleted sites">
      <ul>
        {found.data.map(({ key, name, until }) => (
          <li key={key} className="flex flex-wrap items-baseline gap-x-3 border-b border-hairline py-1.5">
            <span className="min-w-0 wrap-anywhere">{name}</span>
            <span className="text-ink-2">gone for good on {longDay(until.slice(0, 10))}</span>
            <Button
              kind="link"
              className="ml-auto"
              aria-label={`Bring back ${name}`}
              disabled={back.isPending}
              onClick={() => back.mutate(key)}
            >
              Bring back
            </Button>
          </li>
        ))}
      </ul>
      {back.error && <FieldError>{back.error.detail}</FieldError>}
    </Part>
  );
}
