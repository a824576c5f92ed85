import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { membersQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { actionColumn } from "@/ledger/actionColumn";
import type { CellControl } from "@/ledger/columns";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Confirm } from "@/ui/Dialog";
import { FieldError } from "@/ui/Field";
import { Part, Sides } from "@/ui/layout";
import { Menu, MenuChoice } from "@/ui/Menu";
import { optionsOf } from "@/ui/Select";
import { ViewError } from "@/ui/states";
import { Actions, Answer } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { Invitations } from "@/views/people/Invitations";
import { membersSaid, ROLES, type Role } from "@/words/people";

type Member = Schemas["MemberOut"];

/** Who may enter the site, with which role; others are invited by a link. */
export function People() {
  const { site } = useSite();
  const isOwner = can(site, "own");
  const members = useQuery({ ...membersQuery(site.key), enabled: isOwner });
  if (members.isError) return <ViewError error={members.error} again={() => void members.refetch()} />;
  if (!isOwner)
    return (
      <Sides>
        <Answer>{`You are ${site.role === "analyst" ? "an analyst" : "a viewer"} of ${site.name}.`}</Answer>
        <Part>
          <p>Who else may enter, and with which role, is for its owners.</p>
          <Leaving />
        </Part>
      </Sides>
    );
  return (
    <Sides>
      <Answer aria-busy={members.isPending}>{members.data ? membersSaid(members.data, site.name) : " "}</Answer>
      <Part isWide aria-label="People">
        {members.data ? <Members members={members.data} /> : <LedgerSkeleton rows={4} />}
        <Leaving />
      </Part>
      <Invitations />
    </Sides>
  );
}

function Members({ members }: { members: readonly Member[] }) {
  const { site } = useSite();
  const [leaving, setLeaving] = useState<Member | null>(null);
  const at = (member: number) => ({ params: { path: { site: site.key, member } } });
  const change = useSave(
    "people",
    ({ member, role }: { member: Member; role: Role; was: Role }) =>
      ask(client.PUT("/api/v1/sites/{site}/members/{member}", { ...at(member.id), body: { role } })),
    (_, { member, role, was }) =>
      notify(`${member.name} is ${role} now.`, () => change.mutate({ member: { ...member, role }, role: was, was: role })),
  );
  const remove = useSave(
    "people",
    (member: Member) => ask(client.DELETE("/api/v1/sites/{site}/members/{member}", at(member.id))),
    (_, member) => {
      setLeaving(null);
      notify(`${member.name} may not enter any more. A link lets them in again.`);
    },
  );
  const role = (member: Member, control: CellControl) => (
    <Menu
      trigger={
        <Button kind="cell" aria-label={`${member.name}: ${member.role}; another role`} {...control}>
          {member.role}
        </Button>
      }
    >
      <MenuChoice value={member.role} options={optionsOf(ROLES)} onChange={(to) => change.mutate({ member, role: to, was: member.role })} />
    </Menu>
  );
  const failed = change.error ?? remove.error;
  return (
    <>
      <List
        name="People"
        what="a person"
        rows={[...members]}
        rowId={(one) => String(one.id)}
        sort={{ by: "name", descending: false }}
        columns={[
          {
            id: "name",
            head: "Name",
            value: (one) => one.name,
            cell: (one) => <LongText text={one.you ? `${one.name} (you)` : one.name} />,
          },
          { id: "email", head: "E-mail address", value: (one) => one.email, cell: (one) => <LongText text={one.email} /> },
          { id: "role", head: "Role", width: 90, hasControl: true, value: (one) => one.role, cell: role },
          actionColumn<Member>({
            verb: "Remove",
            label: (one) => `Remove ${one.name}`,
            width: 76,
            isBusy: remove.isPending,
            onDo: setLeaving,
          }),
        ]}
      />
      {failed && <FieldError>{failed.detail}</FieldError>}
      <Confirm
        open={leaving !== null}
        title={`Let ${leaving?.name ?? "them"} in no more?`}
        verb="Remove"
        busy={remove.isPending}
        onDo={() => leaving && remove.mutate(leaving, { onError: () => setLeaving(null) })}
        onClose={() => setLeaving(null)}
      >
        They cannot read {site.name} from now on, and their tokens do nothing here. What they made stays.
      </Confirm>
    </>
  );
}

/** Whoever is in may leave. */
function Leaving() {
  const { site } = useSite();
  const navigate = useNavigate();
  const [isAsked, setAsked] = useState(false);
  const leave = useSave(
    "everything",
    () => ask(client.DELETE("/api/v1/sites/{site}/members/me", { params: { path: { site: site.key } } })),
    () => void navigate({ to: "/", search: {} }),
  );
  return (
    <Actions>
      <Button onClick={() => setAsked(true)}>Leave the site …</Button>
      {leave.error && <FieldError>{leave.error.detail}</FieldError>}
      <Confirm
        open={isAsked}
        title={`Leave ${site.name}?`}
        verb="Leave"
        busy={leave.isPending}
        onDo={() => leave.mutate(undefined, { onSettled: () => setAsked(false) })}
        onClose={() => setAsked(false)}
      >
        You cannot read it any more then, until an owner sends you a link.
      </Confirm>
    </Actions>
  );
}
