import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { useAddress } from "@/api/useAddress";
import { invitationsQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Code } from "@/ui/Code";
import { FieldError, Input } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { optionsOf, Select } from "@/ui/Select";
import { ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { longDay } from "@/words/format";
import { ROLES, type Role } from "@/words/people";

/** Links by which others come in: made here, copied, and handed on by whoever made them. */
export function Invitations() {
  const { site } = useSite();
  const address = useAddress();
  const [made, setMade] = useState<Schemas["MadeInvitationOut"] | null>(null);
  const open = useQuery(invitationsQuery(site.key));
  const entry = useEntry({
    values: { role: "viewer" as Role, note: "" },
    send: (body) => ask(client.POST("/api/v1/sites/{site}/invitations", { params: { path: { site: site.key } }, body })),
    becomes: (): { role: Role; note: string } => ({ role: "viewer", note: "" }),
    after: setMade,
    touches: "people",
  });
  return (
    <div className="grid content-start gap-4">
      <Part title="Let somebody in" aria-label="Let somebody in">
        <EntryForm
          entry={entry}
          label="Let somebody in"
          isKept={false}
          foot={
            <Button kind="primary" type="submit" disabled={entry.isSending}>
              Make a link
            </Button>
          }
        >
          <EntryField entry={entry} name="role" label="As">
            {(control) => <Select {...control} options={optionsOf(ROLES)} />}
          </EntryField>
          <EntryField entry={entry} name="note" label="For whom" hint="For you alone, so that you know the link again.">
            {(control) => <Input {...control} maxLength={200} />}
          </EntryField>
        </EntryForm>
        {made && (
          <div className="grid gap-1" role="status">
            <Code text={`${address}/invited#${made.secret}`} />
            <p className="text-ink-2">
              It lets one person in{made.note && `, ${made.note}`}, until {longDay(made.until.slice(0, 10))}. It is shown this once: copy
              it, and hand it on yourself.
            </p>
          </div>
        )}
      </Part>
      {open.isError && <ErrorState error={open.error} again={() => void open.refetch()} />}
      {open.data && open.data.length > 0 && (
        <OpenLinks links={open.data} onGone={(id) => setMade((was) => (was?.id === id ? null : was))} />
      )}
    </div>
  );
}

function OpenLinks({ links, onGone }: { links: readonly Schemas["InvitationOut"][]; onGone: (id: number) => void }) {
  const { site } = useSite();
  const back = useSave(
    "people",
    (invitation: number) =>
      ask(client.DELETE("/api/v1/sites/{site}/invitations/{invitation}", { params: { path: { site: site.key, invitation } } })),
    (_, invitation) => onGone(invitation),
  );
  return (
    <section aria-label="Links that hold" className="grid gap-1">
      <Title level={3}>Links that hold</Title>
      <ul>
        {links.map(({ id, role, note, by, until }) => (
          <li key={id} className="flex flex-wrap items-baseline gap-x-3 border-b border-hairline py-1.5">
            <span className="min-w-0 wrap-anywhere">{note || "for anybody"}</span>
            <span className="text-ink-2">
              {role}, until {longDay(until.slice(0, 10))}, by {by ?? "a removed account"}
            </span>
            <Button
              kind="link"
              className="ml-auto"
              aria-label={`Take back the link: ${note || role}`}
              disabled={back.isPending}
              onClick={() => back.mutate(id)}
            >
              Take back
            </Button>
          </li>
        ))}
      </ul>
      {back.error && <FieldError>{back.error.detail}</FieldError>}
    </section>
  );
}
