import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { sitesQuery, tokensQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { actionColumn } from "@/ledger/actionColumn";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Code } from "@/ui/Code";
import { Confirm } from "@/ui/Dialog";
import { FieldError, Input } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { optionsOf, Select } from "@/ui/Select";
import { ErrorState } from "@/ui/states";
import { longDay, moment } from "@/words/format";
import { SCOPES, type Scope } from "@/words/people";

type Token = Schemas["ApiTokenOut"];

const ENDS: Record<string, string> = { "30": "in 30 days", "90": "in 90 days", "365": "in a year", "": "never" };

/** Tokens by which programs call in one's own name: for what, for which site, until when, and when each was last used. */
export function Tokens() {
  const { site } = useSite();
  const sites = useQuery(sitesQuery);
  const tokens = useQuery(tokensQuery);
  const [secret, setSecret] = useState<string | null>(null);
  const [ending, setEnding] = useState<Token | null>(null);
  const entry = useEntry({
    values: { name: "", scope: "read" as Scope, site: site.key, days: "365" },
    check: ({ name }) => (name.trim() ? {} : { name: "Say what it is for, so that you know later whether it may go." }),
    send: ({ days, site: key, ...body }) =>
      ask(client.POST("/api/v1/account/tokens", { body: { ...body, site: key || null, days: days ? Number(days) : null } })),
    becomes: (): { name: string; scope: Scope; site: string; days: string } => ({ name: "", scope: "read", site: site.key, days: "365" }),
    after: (made) => setSecret(made.secret),
    touches: "account",
  });
  const revoke = useSave(
    "account",
    (token: Token) => ask(client.DELETE("/api/v1/account/tokens/{token}", { params: { path: { token: token.id } } })),
    () => setEnding(null),
  );
  const nameOf = (key: string | null) => (key === null ? "all" : (sites.data?.find((one) => one.key === key)?.name ?? key));
  const isOver = (token: Token) => token.until !== null && Date.parse(token.until) < Date.now();
  const at = (time: string | null) => (time === null ? "never" : moment(Date.parse(time), site.timezone));
  return (
    <Part title="Tokens" isWide aria-label="Tokens">
      <p className="text-ink-2">With a token a program calls the API in your name, for as much as it may.</p>
      {tokens.isError && <ErrorState error={tokens.error} again={() => void tokens.refetch()} />}
      {tokens.isPending && <LedgerSkeleton rows={2} />}
      {tokens.data && tokens.data.length > 0 && (
        <List
          name="Tokens"
          what="a token"
          rows={tokens.data}
          rowId={(one) => String(one.id)}
          sort={{ by: "", descending: false }}
          columns={[
            { id: "name", head: "For", value: (one) => one.name, cell: (one) => <LongText text={one.name} /> },
            { id: "scope", head: "May", width: 64, value: (one) => one.scope },
            { id: "site", head: "Site", width: 130, value: (one) => nameOf(one.site), cell: (one) => <LongText text={nameOf(one.site)} /> },
            { id: "used", head: "Last used", width: 150, value: (one) => one.used, cell: (one) => at(one.used) },
            {
              id: "until",
              head: "Ends",
              width: 110,
              value: (one) => one.until,
              cell: (one) => (one.until === null ? "never" : isOver(one) ? "has ended" : longDay(one.until.slice(0, 10))),
            },
            actionColumn<Token>({ verb: "Revoke", label: (one) => `Revoke ${one.name}`, width: 72, onDo: setEnding }),
          ]}
        />
      )}
      <EntryForm
        entry={entry}
        label="A new token"
        layout="grid gap-2 min-[620px]:grid-cols-2"
        isKept={false}
        foot={
          <Button kind="primary" type="submit" disabled={entry.isSending}>
            Make a token
          </Button>
        }
      >
        <EntryField entry={entry} name="name" label="What it is for">
          {(control) => <Input {...control} maxLength={100} />}
        </EntryField>
        <EntryField entry={entry} name="scope" label="What it may do">
          {(control) => <Select {...control} options={optionsOf(SCOPES)} />}
        </EntryField>
        <EntryField entry={entry} name="site" label="For which site">
          {(control) => (
            <Select
              {...control}
              options={[
                ...(sites.data ?? [site]).map((one) => ({ value: one.key, label: one.name })),
                { value: "", label: "all of yours, also later ones" },
              ]}
            />
          )}
        </EntryField>
        <EntryField entry={entry} name="days" label="It ends">
          {(control) => <Select {...control} options={optionsOf(ENDS)} />}
        </EntryField>
      </EntryForm>
      {secret && (
        <div className="grid gap-1" role="status">
          <Code text={secret} />
          <p className="text-ink-2">It is shown this once: copy it to where the program reads it.</p>
        </div>
      )}
      <Confirm
        open={ending !== null}
        title={`Revoke ${ending?.name ?? "the token"}?`}
        verb="Revoke"
        busy={revoke.isPending}
        onDo={() => ending && revoke.mutate(ending)}
        onClose={() => setEnding(null)}
      >
        What calls with it is refused from then on. It cannot be brought back; a new one can be made.
        {revoke.error && <FieldError>{revoke.error.detail}</FieldError>}
      </Confirm>
    </Part>
  );
}
