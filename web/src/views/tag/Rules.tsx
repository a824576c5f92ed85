import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { rulesQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { Heads } from "@/pieces/Heads";
import { LedgerToCome } from "@/pieces/Ledger";
import { SearchInput } from "@/pieces/SearchInput";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
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
  const { site, trouble, again } = useView();
  const rules = useQuery(rulesQuery(site.key));
  const canEdit = site.role !== "viewer";
  const [open, setOpen] = useState<Rule | null>(null);
  const [gone, setGone] = useState<{ rule: Rule; place: number } | null>(null);
  const at = { params: { path: { site: site.key } } };
  const keep = useSave((draft: Rule[]) =>
    ask(client.PUT("/api/v1/sites/{site}/rules/draft", { ...at, body: { rules: draft, was: rules.data?.draft ?? null } })),
  );
  const live = useSave((note: string) =>
    ask(client.POST("/api/v1/sites/{site}/rules/versions", { ...at, body: { note, was: rules.data?.draft ?? null } })),
  );
  const back = useSave((number: number) =>
    ask(client.POST("/api/v1/sites/{site}/rules/versions/{number}/again", { params: { path: { site: site.key, number } } })),
  );
  const away = useSave(
    () => ask(client.DELETE("/api/v1/sites/{site}/rules/draft", at)),
    () => setOpen(null),
  );
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (rules.isError) return <ErrorState error={rules.error} again={() => void rules.refetch()} />;
  const value = rules.data;
  const draft = value?.draft ?? [];
  const found = open ? draft.findIndex((one) => one.id === open.id) : -1;
  const place = found < 0 ? draft.length : found;
  const edit = (rule: Rule) => {
    keep.reset();
    setGone(null);
    setOpen(rule);
  };
  const save = (rule: Rule) =>
    keep.mutate(found < 0 ? [...draft, rule] : draft.map((one) => (one.id === rule.id ? rule : one)), { onSuccess: () => setOpen(null) });
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
    <div className="tag sides">
      <h1 className="answer" aria-busy={rules.isPending}>
        {value ? message(value) : " "}
      </h1>
      <div className="parts">
        <section aria-label="Rules">
          {rules.isPending && <LedgerToCome rows={4} />}
          {value && draft.length === 0 && (
            <p className="empty">
              No rule yet. Where you may not edit a page, a rule does it from here: when something happens on the page, and only if you want
              it there, then an event is recorded, a goal counted, a field set, or a piece of HTML put in.
            </p>
          )}
          {value && draft.length > 0 && <RuleList value={value} open={open?.id ?? null} onOpen={edit} />}
          <div className="end">
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
            {!open && keep.error && (
              <p className="wrong" role="alert">
                {keep.error.message}
              </p>
            )}
          </div>
        </section>
        {value && canEdit && <Trial />}
        {value && <Versions versions={value.versions} busy={back.isPending} onBack={back.mutate} />}
        {back.error && (
          <p className="wrong" role="alert">
            {back.error.message}
          </p>
        )}
      </div>
      <aside className="parts">
        {open ? (
          <RuleForm
            key={open.id}
            rule={open}
            fresh={found < 0}
            place={place}
            busy={keep.isPending}
            error={keep.error}
            onChange={() => keep.reset()}
            onSave={save}
            onDrop={() => drop(open)}
            onClose={() => setOpen(null)}
          />
        ) : (
          value && (
            <Draft
              value={value}
              busy={live.isPending || away.isPending}
              error={live.error ?? away.error}
              onLive={live.mutate}
              onThrow={() => away.mutate()}
            />
          )
        )}
      </aside>
    </div>
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

function state(rule: Rule, value: Held): string {
  const change = value.changes.find((one) => one.becomes?.id === rule.id);
  const where = change ? (change.what === "added" ? "draft" : "live, changed in the draft") : "live";
  return rule.paused ? `${where}, paused` : where;
}

const SEARCHABLE_FROM = 12;

function RuleList({ value, open, onOpen }: { value: Held; open: string | null; onOpen: (rule: Rule) => void }) {
  const [query, setQuery] = useState("");
  const fits = (rule: Rule) => `${rule.name} ${ruleWords(rule)}`.toLowerCase().includes(query.toLowerCase());
  const shown = value.draft.filter(fits);
  const dropped = value.changes.filter((change) => change.what === "taken away");
  return (
    <div className="ledger-box">
      {value.draft.length > SEARCHABLE_FROM && <SearchInput what="a rule" query={query} set={setQuery} />}
      {shown.length === 0 && <p className="quiet">No rule fits.</p>}
      <table className="hits events">
        <Heads heads={["Rule", "Does", "State"]} />
        <tbody>
          {shown.map((rule) => (
            <tr key={rule.id} aria-current={open === rule.id ? "true" : undefined}>
              <td className="wrap">
                <Button kind="link" onClick={() => onOpen(rule)}>
                  {rule.name}
                </Button>
              </td>
              <td className="wrap">{ruleWords(rule)}</td>
              <td className="wrap quiet">{state(rule, value)}</td>
            </tr>
          ))}
          {dropped.map(({ was }) => (
            <tr key={was?.id}>
              <td className="wrap quiet">{was?.name}</td>
              <td className="wrap quiet">{was && ruleWords(was)}</td>
              <td className="wrap quiet">live, not in the draft</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
