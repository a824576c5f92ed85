import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { Part, Sides } from "@/ui/layout";
import { ask, client, type Schemas } from "@/api/client";
import { rulesQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { useLeave } from "@/forms/leaving";
import type { LedgerColumn } from "@/ledger/columns";
import { List } from "@/ledger/List";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { EmptyNote, ViewError } from "@/ui/states";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Actions, Answer } from "@/ui/text";
import { FieldError } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { Draft } from "@/views/tag/rules/Draft";
import { RuleForm } from "@/views/tag/rules/RuleForm";
import { Trial } from "@/views/tag/rules/Trial";
import { Versions } from "@/views/tag/rules/Versions";
import { plural } from "@/words/format";
import { newRule, ruleWords, type Rule } from "@/words/rules";

type Held = Schemas["RulesOut"];

/** What the site script does without a change to the page: drafted, tried on one browser, made live. */
export function Rules() {
  const { site, trouble, again } = useSite();
  const rules = useQuery(rulesQuery(site.key));
  const canEdit = can(site, "edit");
  const leave = useLeave();
  const [open, setOpen] = useState<Rule | null>(null);
  const [gone, setGone] = useState<{ rule: Rule; place: number } | null>(null);
  const at = { params: { path: { site: site.key } } };
  const send = (draft: Rule[]) =>
    ask(client.PUT("/api/v1/sites/{site}/rules/draft", { ...at, body: { rules: draft, was: rules.data?.draft ?? null } }));
  const keep = useSave("rules", send);
  const back = useSave("rules", (number: number) =>
    ask(client.POST("/api/v1/sites/{site}/rules/versions/{number}/again", { params: { path: { site: site.key, number } } })),
  );
  const away = useSave(
    "rules",
    () => ask(client.DELETE("/api/v1/sites/{site}/rules/draft", at)),
    () => setOpen(null),
  );
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (rules.isError) return <ViewError error={rules.error} again={() => void rules.refetch()} />;
  const value = rules.data;
  const draft = value?.draft ?? [];
  const found = open ? draft.findIndex((one) => one.id === open.id) : -1;
  const place = found < 0 ? draft.length : found;
  const edit = (rule: Rule) =>
    leave(() => {
      keep.reset();
      setGone(null);
      setOpen(rule);
    });
  const save = (rule: Rule) => send(found < 0 ? [...draft, rule] : draft.map((one) => (one.id === rule.id ? rule : one)));
  const drop = (rule: Rule) =>
    keep.mutate(
      draft.filter((one) => one.id !== rule.id),
      {
        onSuccess: () => {
          setGone({ rule, place });
          setOpen(null);
        },
      },
    );
  const bringBack = ({ rule, place: where }: { rule: Rule; place: number }) =>
    keep.mutate([...draft.slice(0, where), rule, ...draft.slice(where)], { onSuccess: () => setGone(null) });
  return (
    <Sides>
      <Answer aria-busy={rules.isPending}>{value ? message(value) : " "}</Answer>
      <div className="grid min-w-0 content-start gap-5">
        <Part isWide aria-label="Rules">
          {rules.isPending && <LedgerSkeleton rows={4} />}
          {value && draft.length === 0 && (
            <EmptyNote>
              No rule yet. Where you may not edit a page, a rule does it from here: when something happens on the page, and only if you want
              it there, then an event is recorded, a goal counted, a field set, or a piece of HTML put in.
            </EmptyNote>
          )}
          {value && draft.length > 0 && <RuleList value={value} open={open?.id ?? null} onOpen={edit} />}
          <Actions>
            {canEdit && (
              <Button kind="primary" disabled={!value} onClick={() => edit(newRule())}>
                Make a rule
              </Button>
            )}
            {gone && (
              <p role="status">
                {gone.rule.name} is no longer in the draft. <Button onClick={() => bringBack(gone)}>Restore</Button>
              </p>
            )}
            {!open && keep.error && <FieldError>{keep.error.detail}</FieldError>}
          </Actions>
        </Part>
        {value && canEdit && <Trial />}
        {value && <Versions versions={value.versions} busy={back.isPending} onBack={back.mutate} />}
        {back.error && <FieldError>{back.error.detail}</FieldError>}
      </div>
      <aside className="grid min-w-0 content-start gap-5">
        {open ? (
          <RuleForm
            key={open.id}
            rule={open}
            fresh={found < 0}
            place={place}
            onSave={save}
            onDrop={() => drop(open)}
            onClose={() => setOpen(null)}
          />
        ) : (
          value && <Draft value={value} busy={away.isPending} error={away.error} onThrow={() => away.mutate()} />
        )}
      </aside>
    </Sides>
  );
}

function message({ draft, changes, versions }: Held): string {
  const [live] = versions;
  const awake = (live?.rules ?? []).filter((rule) => !rule.paused).length;
  const now = live ? `${plural(awake, "rule")} ${awake === 1 ? "is" : "are"} live` : draft.length ? "No rule is live yet" : "";
  if (!now) return "Nothing is done by rule yet.";
  if (!changes.length) return `${now}; nothing is waiting in the draft.`;
  return `${now}; the draft holds ${plural(changes.length, "change")}.`;
}

/** The order of the draft. */
const NO_SORT = { by: "", descending: false };

function state(rule: Rule, value: Held): string {
  const change = value.changes.find((one) => one.becomes?.id === rule.id);
  const where = change ? (change.what === "added" ? "draft" : "live, changed in the draft") : "live";
  return rule.paused ? `${where}, paused` : where;
}

interface Listed {
  rule: Rule;
  state: string;
  /** Whether it is live, and no longer in the draft. */
  isGone: boolean;
}

function RuleList({ value, open, onOpen }: { value: Held; open: string | null; onOpen: (rule: Rule) => void }) {
  const gone = value.changes.flatMap(({ what, was }) => (what === "removed" && was ? [was] : []));
  const rows: Listed[] = [
    ...value.draft.map((rule) => ({ rule, state: state(rule, value), isGone: false })),
    ...gone.map((rule) => ({ rule, state: "live, not in the draft", isGone: true })),
  ];
  const columns: LedgerColumn<Listed>[] = [
    {
      id: "rule",
      head: "Rule",
      hasControl: true,
      value: ({ rule }) => rule.name,
      cell: ({ rule, isGone }, control) =>
        isGone ? (
          <span className="text-ink-2" {...control}>
            {rule.name}
          </span>
        ) : (
          <Button kind="link" onClick={() => onOpen(rule)} {...control}>
            {rule.name}
          </Button>
        ),
    },
    { id: "does", head: "Does", width: 300, isWrapped: true, value: ({ rule }) => ruleWords(rule) },
    { id: "state", head: "State", width: 120, isWrapped: true, isQuiet: true, value: (row) => row.state },
  ];
  return (
    <List
      name="Rules"
      what="a rule"
      columns={columns}
      rows={rows}
      rowId={({ rule }) => rule.id}
      sort={NO_SORT}
      isCurrent={({ rule }) => rule.id === open}
    />
  );
}
