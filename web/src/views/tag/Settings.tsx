import { useState, type FormEvent, type ReactNode } from "react";

import { ask, client, type Schemas, type Site } from "@/api/client";
import { useSave } from "@/app/useSave";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field, Input, Textarea, type Control } from "@/ui/Field";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { Groups, ratesOf, type PageGroup, type Rate } from "@/views/tag/Groups";
import { OneVisitor } from "@/views/tag/OneVisitor";
import { Sending, type Sends } from "@/views/tag/Sending";

/** How the site is tagged and read; changing how it is read re-reads history. */
export function Settings() {
  const { site } = useView();
  const canEdit = site.role === "owner";
  return (
    <div className="tag">
      <h1 className="answer">What the script may do on {site.name}, and how its hits are read.</h1>
      {!canEdit && <p className="quiet">You can read the settings; the site’s owners change them.</p>}
      <SettingsForm key={site.key} site={site} canEdit={canEdit} />
      {canEdit && <OneVisitor />}
    </div>
  );
}

const listed = (text: string): string[] => text.split(/[\s,;]+/).filter(Boolean);

interface SettingsProps {
  name: string;
  hosts: string;
  timezone: string;
  currency: string;
  gap: string;
  labels: string;
  kept: string;
  ignored: string;
  networks: string;
  groups: PageGroup[];
  rates: Rate[];
  keep: string;
  cookie: boolean;
  consent: boolean;
  inserts_html: boolean;
  every_query: boolean;
  pages_behind_hash: boolean;
  sends: Sends;
  searches: string;
  players: string;
}

const given = ({ name, rules, tagging }: Site): SettingsProps => ({
  name,
  hosts: rules.hosts.join("\n"),
  timezone: rules.timezone,
  currency: rules.currency,
  gap: String(rules.visit_gap_minutes),
  labels: rules.label_keys.join(" "),
  kept: rules.kept_query_keys.join(" "),
  ignored: rules.ignored_hosts.join("\n"),
  networks: rules.internal_networks.join("\n"),
  groups: rules.page_groups,
  rates: Object.entries(rules.rates).map(([currency, rate]) => ({ currency, rate: String(rate) })),
  keep: tagging.keep_days === null ? "" : String(tagging.keep_days),
  cookie: tagging.cookie,
  consent: tagging.consent,
  inserts_html: tagging.inserts_html,
  every_query: tagging.every_query,
  pages_behind_hash: rules.pages_behind_hash,
  sends: tagging.sends as Sends,
  searches: tagging.search_keys.join(" "),
  players: tagging.players.join("\n"),
});

/** A number as it was typed; what is none is sent as it stands, so that it is refused beside its field. */
const number = (text: string): number => (/^\d+$/.test(text.trim()) ? Number(text) : (text as unknown as number));

const asked = (site: Site, form: SettingsProps): Schemas["SiteIn"] => ({
  name: form.name,
  rules: {
    ...site.rules,
    hosts: listed(form.hosts),
    timezone: form.timezone.trim(),
    currency: form.currency.trim().toUpperCase(),
    visit_gap_minutes: number(form.gap),
    label_keys: listed(form.labels),
    kept_query_keys: listed(form.kept),
    ignored_hosts: listed(form.ignored),
    internal_networks: listed(form.networks),
    page_groups: form.groups,
    pages_behind_hash: form.pages_behind_hash,
    rates: ratesOf(form.rates),
  },
  tagging: {
    ...site.tagging,
    cookie: form.cookie,
    consent: form.consent,
    keep_days: form.keep.trim() ? number(form.keep) : null,
    inserts_html: form.inserts_html,
    every_query: form.every_query,
    sends: form.sends,
    search_keys: listed(form.searches),
    players: listed(form.players),
  },
});

function SettingsForm({ site, canEdit }: { site: Site; canEdit: boolean }) {
  const [form, setForm] = useState(() => given(site));
  const [sure, setSure] = useState(false);
  const save = useSave(
    (body: Schemas["SiteIn"]) => ask(client.PUT("/api/v1/sites/{site}", { params: { path: { site: site.key } }, body })),
    (saved) => setForm(given(saved)),
  );
  const { of: error, all } = fieldErrors(save.error, ["name", "rules", "tagging"]);
  const set = (change: Partial<SettingsProps>) => {
    setSure(false);
    save.reset();
    setForm((now) => ({ ...now, ...change }));
  };
  const deletes = form.keep.trim() !== "" && form.keep !== given(site).keep;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (deletes && !sure) setSure(true);
    else save.mutate(asked(site, form));
  };
  const line = (
    key: keyof SettingsProps & ("name" | "timezone" | "currency" | "gap" | "labels" | "kept" | "keep" | "searches"),
    label: string,
    field: string,
    hint: ReactNode,
    list?: string,
  ) => (
    <Field label={label} hint={hint} error={error(field)}>
      {(control: Control) => <Input {...control} value={form[key]} list={list} onChange={(event) => set({ [key]: event.target.value })} />}
    </Field>
  );
  const area = (
    key: keyof SettingsProps & ("hosts" | "ignored" | "networks" | "players"),
    label: string,
    field: string,
    hint: ReactNode,
  ) => (
    <Field label={label} hint={hint} error={error(field)}>
      {(control: Control) => <Textarea {...control} rows={3} value={form[key]} onChange={(event) => set({ [key]: event.target.value })} />}
    </Field>
  );
  const choice = (
    key: "cookie" | "consent" | "inserts_html" | "every_query" | "pages_behind_hash",
    label: string,
    { yes, no, hint }: Record<"yes" | "no" | "hint", string>,
  ) => (
    <Field label={label} hint={hint} error={error(`${key === "pages_behind_hash" ? "rules" : "tagging"}.${key}`)}>
      {(control: Control) => (
        <Select
          {...control}
          value={form[key] ? "yes" : "no"}
          onChange={(to) => set({ [key]: to === "yes" })}
          options={[
            { value: "yes", label: yes },
            { value: "no", label: no },
          ]}
        />
      )}
    </Field>
  );
  return (
    <form className="form columns" onSubmit={submit} noValidate aria-label="Settings">
      <fieldset disabled={!canEdit}>
        <legend className="title">The site</legend>
        {line("name", "Name", "name", "as it stands in the line at the top")}
        {area("hosts", "Hosts", "rules.hosts", "hits are taken from pages of these hosts only; one a line")}
        {line("timezone", "Time zone", "rules.timezone", "days begin at its midnight", "zones")}
        {line("currency", "Currency", "rules.currency", "three letters, such as EUR")}
      </fieldset>
      <fieldset disabled={!canEdit}>
        <legend className="title">Pages and money</legend>
        <Groups
          canEdit={canEdit}
          groups={form.groups}
          rates={form.rates}
          currency={form.currency}
          error={error}
          setGroups={(groups) => set({ groups })}
          setRates={(rates) => set({ rates })}
        />
      </fieldset>
      <fieldset disabled={!canEdit}>
        <legend className="title">How hits are read</legend>
        {line("gap", "Pause that ends a visit, in minutes", "rules.visit_gap_minutes", "30 is usual; history is read anew")}
        {line("labels", "Keys of the link label", "rules.label_keys", "query keys that name a link with one word, in their order")}
        {line("kept", "Query keys that make a page", "rules.kept_query_keys", "all other keys are left out of a page’s name")}
        {choice("pages_behind_hash", "Pages behind #", {
          yes: "are pages, as in /app#/orders",
          no: "are places of one page",
          hint: "for sites whose own script shows pages behind #/ in the address",
        })}
        {choice("every_query", "A change of the query", {
          yes: "is always a view",
          no: "is a view where it makes another page",
          hint: "filters and searches that keep themselves in the address are no views of their own",
        })}
        {area(
          "ignored",
          "Hosts that are no source",
          "rules.ignored_hosts",
          "payment pages and the like, which visitors only come back from",
        )}
        {area(
          "networks",
          "Networks of your own people",
          "rules.internal_networks",
          "addresses or ranges such as 192.0.2.0/24; their visits are stored and left out of the reports",
        )}
      </fieldset>
      <fieldset disabled={!canEdit}>
        <legend className="title">What is kept of visitors</legend>
        {choice("cookie", "The visitor’s pseudonym", {
          yes: "in a cookie of the site’s own",
          no: "without a cookie, for one day",
          hint: form.cookie ? "returning visitors are known for 400 days" : "changes each day; nothing is kept in the browser",
        })}
        {choice("consent", "Consent", {
          yes: "needed first",
          no: "not needed",
          hint: form.consent ? "nothing is kept or sent before the page says uc.consent(true)" : "the script begins at once",
        })}
        {line("keep", "Days that hits are kept", "tagging.keep_days", "empty keeps them; older hits are deleted for good, once an hour")}
        <p className="quiet">
          E-mail addresses and phone numbers in addresses and properties are masked before anything is stored, and so are values of keys
          named like them.
        </p>
      </fieldset>
      <fieldset disabled={!canEdit}>
        <legend className="title">What the script sends by itself</legend>
        <Sending sends={form.sends} set={(sends) => set({ sends })} />
        {line("searches", "Query keys of a search on the site", "tagging.search_keys", "the first that is there holds what was looked for")}
        {area("players", "Hosts of embedded players", "tagging.players", "frames of other hosts whose messages are believed; one a line")}
        {choice("inserts_html", "HTML that rules insert", {
          yes: "may be inserted",
          no: "is not inserted",
          hint: "only owners can put it into a rule, and nothing in it runs",
        })}
      </fieldset>
      <div className="end">
        {sure && (
          <p className="wrong" role="alert">
            Hits older than {form.keep} days will be deleted for good. Press once more to do it.
          </p>
        )}
        {save.error && (
          <p className="wrong" role="alert">
            {all ?? "Nothing was changed; what is wrong stands beside its field."}
          </p>
        )}
        <Button type="submit" kind="primary" disabled={!canEdit || save.isPending}>
          {save.isPending ? "Saving …" : sure ? "Save, and delete older hits" : "Save"}
        </Button>
        <span role="status" className="quiet">
          {save.isSuccess && "Saved. History is read by these settings now; pages take them within five minutes."}
        </span>
      </div>
      <datalist id="zones">
        {Intl.supportedValuesOf("timeZone").map((zone) => (
          <option key={zone} value={zone} />
        ))}
      </datalist>
    </form>
  );
}
