import { useState, type FormEvent } from "react";

import { ask, client, type ApiError } from "@/api/client";
import { useSave } from "@/api/useSave";
import type { FunnelInHand, StoredFunnel } from "@/views/explain/funnels/useFunnel";
import { Chosen } from "@/views/shared/Chosen";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Field, FieldError, Input } from "@/ui/Field";
import { Popover } from "@/ui/Popover";
import { Actions } from "@/ui/text";
import { notify } from "@/ui/Toast";

/** Which funnel it is: the one that suggests itself, one that is saved, or one's own; and how it is kept. */
export function SavedFunnels({ inHand }: { inHand: FunnelInHand }) {
  const { site } = useSite();
  const { saved, stored, isBuilt, show, clear } = inHand;
  const options = [
    { value: "suggested", label: "as your visits walk it" },
    ...saved.filter((one) => !one.archived || one.id === stored?.id).map((one) => ({ value: String(one.id), label: one.name })),
    ...(isBuilt ? [{ value: "own", label: stored ? `${stored.name}, changed` : "your own" }] : []),
  ];
  const value = isBuilt ? "own" : stored ? String(stored.id) : "suggested";
  return (
    <>
      The funnel{" "}
      <Chosen
        label="Funnel"
        value={value}
        options={options}
        onChange={(to) => (to === "suggested" ? clear() : to !== "own" && show(Number(to)))}
      />
      {can(site, "edit") && <Keeping inHand={inHand} />}.{" "}
    </>
  );
}

function Keeping({ inHand }: { inHand: FunnelInHand }) {
  const { site } = useSite();
  const { stored, isBuilt, clear, show } = inHand;
  const [open, setOpen] = useState(false);
  const path = (one: StoredFunnel) => ({ params: { path: { site: site.key, funnel: one.id } } });
  const restore = useSave(
    "funnels",
    (one: StoredFunnel) => ask(client.POST("/api/v1/sites/{site}/funnels/{funnel}/restore", path(one))),
    (one) => show(one.id),
  );
  const archive = useSave(
    "funnels",
    (one: StoredFunnel) => ask(client.POST("/api/v1/sites/{site}/funnels/{funnel}/archive", path(one))),
    (one) => {
      clear();
      notify(`${one.name} was archived.`, () => restore.mutate(one));
    },
  );
  const error = archive.error ?? restore.error;
  return (
    <>
      {(isBuilt || !stored) && (
        <>
          {" ("}
          <Popover trigger={<Button kind="link">Save</Button>} label="Save the funnel" open={open} onOpenChange={setOpen}>
            {open && <SaveForm inHand={inHand} onClose={() => setOpen(false)} />}
          </Popover>
          )
        </>
      )}
      {stored && !isBuilt && !stored.archived && (
        <>
          {" ("}
          <Button kind="link" disabled={archive.isPending} onClick={() => archive.mutate(stored)}>
            Archive
          </Button>
          )
        </>
      )}
      {error && <FieldError>{error.detail}</FieldError>}
    </>
  );
}

/** The name under which it is kept; one that was opened and changed can be changed where it is saved. */
function SaveForm({ inHand, onClose }: { inHand: FunnelInHand; onClose: () => void }) {
  const { site } = useSite();
  const { funnel, by, stored, show } = inHand;
  const [name, setName] = useState(stored?.name ?? "");
  const after = (one: StoredFunnel) => {
    onClose();
    show(one.id);
    notify(`${one.name} was saved.`);
  };
  const body = { name, funnel: funnel ?? { steps: [], units: "visits" as const, directly_next: false }, dimension: by || null };
  const add = useSave(
    "funnels",
    () => ask(client.POST("/api/v1/sites/{site}/funnels", { params: { path: { site: site.key } }, body })),
    after,
  );
  const change = useSave(
    "funnels",
    (one: StoredFunnel) =>
      ask(client.PUT("/api/v1/sites/{site}/funnels/{funnel}", { params: { path: { site: site.key, funnel: one.id } }, body })),
    after,
  );
  const isSending = add.isPending || change.isPending;
  const error = (change.error ?? add.error) as ApiError | null;
  const onSubmit = (event: FormEvent) => {
    event.preventDefault();
    if (stored) change.mutate(stored);
    else add.mutate(undefined);
  };
  return (
    <form className="grid gap-2 px-3.5 py-1.5" onSubmit={onSubmit}>
      <Field label="Name" error={error?.errors.find((one) => one.field === "name")?.text ?? error?.detail}>
        {(control) => <Input {...control} value={name} maxLength={100} autoFocus onChange={(event) => setName(event.target.value)} />}
      </Field>
      <Actions>
        <Button kind="primary" type="submit" disabled={isSending}>
          Save
        </Button>
        {stored && (
          <Button disabled={isSending} onClick={() => add.mutate(undefined)}>
            Save as another
          </Button>
        )}
      </Actions>
    </form>
  );
}
