import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client, type Problem, type Site } from "@/api/client";
import { sitesQuery } from "@/api/queries";
import { readAnew } from "@/api/readAnew";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { useSite } from "@/state/site";
import { HOME } from "@/state/paths";
import { Button } from "@/ui/Button";
import { Dialog } from "@/ui/Dialog";
import { Input } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { notify } from "@/ui/Toast";

/** Deletes the site, once its name was typed; for a month it can be brought back. */
export function DeleteSite() {
  const { site } = useSite();
  const [isAsked, setAsked] = useState(false);
  return (
    <Part title="Delete the site" aria-label="Delete the site">
      <p className="text-ink-2">
        Nobody reads it then, and nothing is collected. For 30 days an owner can bring it back, under <i>Your account</i>; then all of it is
        gone for good.
      </p>
      <div>
        <Button onClick={() => setAsked(true)}>Delete the site …</Button>
      </div>
      <Dialog open={isAsked} title={`Delete ${site.name}?`} onClose={() => setAsked(false)}>
        <Deleting onClose={() => setAsked(false)} />
      </Dialog>
    </Part>
  );
}

function Deleting({ onClose }: { onClose: () => void }) {
  const { site } = useSite();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const restore = async () => {
    await ask(client.POST("/api/v1/deleted-sites/{key}/restored", { params: { path: { key: site.key } } }));
    await readAnew(queries, "everything");
    await navigate({ to: HOME, params: { site: site.key }, search: {} });
  };
  const entry = useEntry({
    values: { name: "" },
    send: (body) => ask(client.POST("/api/v1/sites/{site}/deleted", { params: { path: { site: site.key } }, body })),
    after: () => {
      queries.setQueryData<Site[]>(sitesQuery.queryKey, (was) => was?.filter((one) => one.key !== site.key));
      void navigate({ to: "/" });
      notify(`${site.name} was deleted.`, () => void restore().catch((why: Problem) => notify(why.detail)));
    },
    touches: "account",
  });
  return (
    <EntryForm
      entry={entry}
      label="Delete the site"
      isKept={false}
      className="mt-2"
      foot={
        <>
          <Button kind="primary" type="submit" disabled={entry.isSending}>
            Delete
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </>
      }
    >
      <EntryField entry={entry} name="name" label={`Type its name, ${site.name}`}>
        {(control) => <Input {...control} autoFocus autoComplete="off" maxLength={100} />}
      </EntryField>
    </EntryForm>
  );
}
