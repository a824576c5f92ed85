import { useState, type ReactNode } from "react";

import { Stack } from "@/ui/layout";
import { ask, client, type Schemas, type Site } from "@/api/client";
import { EntryField, EntryForm, EntryGroup } from "@/forms/EntryForm";
import { typedCount } from "@/forms/numbers";
import { useEntry, useHeld } from "@/forms/useEntry";
import { FieldError, Input, Textarea } from "@/ui/Field";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Answer } from "@/ui/text";
import { Button } from "@/ui/Button";
import { Combobox } from "@/ui/Combobox";
import { Select } from "@/ui/Select";
import { notify } from "@/ui/Toast";
import { Copies, PageGroups, Rates, ratesOf, type PageGroup, type Rate, type SiteCopy } from "@/views/tag/Groups";
import { DeleteSite } from "@/views/tag/DeleteSite";
import { OneVisitor } from "@/views/tag/OneVisitor";
import { Sending, type Sends } from "@/views/tag/Sending";

/** How the site is tagged and read; changing how it is read re-reads history. */
export function Settings() {
  const { site } = useSite();
  const canEdit = can(site, "own");
  return (
    <Stack>
      <Answer>What the script may do on {site.name}, and how its hits are read.</Answer>
      {!canEdit && <p className="text-ink-2">You can read the settings; the site’s owners change them.</p>}
      <SettingsForm key={site.key} site={site} canEdit={canEdit} />
      {canEdit && <OneVisitor />}
      {canEdit && <DeleteSite />}
    </Stack>
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
  copies: SiteCopy[];
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
  copies: rules.copies,
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

const asked = (site: Site, form: SettingsProps): Schemas["SiteIn"] => ({
  name: form.name,
  rules: {
    ...site.rules,
    hosts: listed(form.hosts),
    timezone: form.timezone.trim(),
    currency: form.currency.trim().toUpperCase(),
    visit_gap_minutes: typedCount(form.gap),
    label_keys: listed(form.labels),
    kept_query_keys: listed(form.kept),
    ignored_hosts: listed(form.ignored),
    internal_networks: listed(form.networks),
    page_groups: form.groups,
    copies: form.copies,
    pages_behind_hash: form.pages_behind_hash,
    rates: ratesOf(form.rates),
  },
  tagging: {
    ...site.tagging,
    cookie: form.cookie,
    consent: form.consent,
    keep_days: form.keep.trim() ? typedCount(form.keep) : null,
    inserts_html: form.inserts_html,
    every_query: form.every_query,
    sends: form.sends,
    search_keys: listed(form.searches),
    players: listed(form.players),
  },
});

type Texts = "name" | "timezone" | "currency" | "gap" | "labels" | "kept" | "keep" | "searches";
type Lists = "hosts" | "ignored" | "networks" | "players";
type Choices = "cookie" | "consent" | "inserts_html" | "every_query" | "pages_behind_hash";

function SettingsForm({ site, canEdit }: { site: Site; canEdit: boolean }) {
  const [isSure, setSure] = useState(false);
  const entry = useEntry<SettingsProps, Site>({
    touches: "everything",
    values: given(site),
    send: (form) => ask(client.PUT("/api/v1/sites/{site}", { params: { path: { site: site.key } }, body: asked(site, form) })),
    becomes: given,
    after: () => {
      setSure(false);
      notify("Saved. History is read by these settings now; pages take them within five minutes.");
    },
  });
  const form = useHeld(entry);
  const deletes = form.keep.trim() !== "" && form.keep !== given(site).keep;
  const line = (name: Texts, label: string, of: string, hint: ReactNode, known?: string[]) => (
    <EntryField entry={entry} name={name} of={of} label={label} hint={hint}>
      {(control) => (known ? <Combobox {...control} suggestions={known} /> : <Input {...control} />)}
    </EntryField>
  );
  const area = (name: Lists, label: string, of: string, hint: ReactNode) => (
    <EntryField entry={entry} name={name} of={of} label={label} hint={hint}>
      {(control) => <Textarea {...control} rows={3} />}
    </EntryField>
  );
  const choice = (name: Choices, label: string, { yes, no, hint }: Record<"yes" | "no" | "hint", string>) => (
    <EntryField entry={entry} name={name} of={`${name === "pages_behind_hash" ? "rules" : "tagging"}.${name}`} label={label} hint={hint}>
      {({ value, onChange, ...control }) => (
        <Select
          {...control}
          value={value ? "yes" : "no"}
          onChange={(to) => onChange(to === "yes")}
          options={[
            { value: "yes", label: yes },
            { value: "no", label: no },
          ]}
        />
      )}
    </EntryField>
  );
  return (
    <EntryForm
      entry={entry}
      label="Settings"
      canEdit={canEdit}
      className="max-w-[1180px]"
      layout="columns-1 gap-x-9 lg:columns-2"
      foot={
        deletes && !isSure ? (
          <Button kind="primary" disabled={!canEdit} onClick={() => setSure(true)}>
            Save
          </Button>
        ) : (
          <>
            {deletes && <FieldError>Hits older than {form.keep} days will be deleted for good. Press once more to do it.</FieldError>}
            <Button type="submit" kind="primary" disabled={!canEdit || entry.isSending}>
              {entry.isSending ? "Saving …" : deletes ? "Save, and delete older hits" : "Save"}
            </Button>
          </>
        )
      }
    >
      <fieldset className={PART}>
        <legend className={LEGEND}>The site</legend>
        {line("name", "Name", "name", "as it stands in the line at the top")}
        {area("hosts", "Hosts", "rules.hosts", "hits are taken from pages of these hosts only; one a line")}
        {line("timezone", "Time zone", "rules.timezone", "days begin at its midnight", Intl.supportedValuesOf("timeZone"))}
        {line("currency", "Currency", "rules.currency", "three letters, such as EUR", Intl.supportedValuesOf("currency"))}
      </fieldset>
      <fieldset className={PART}>
        <legend className={LEGEND}>Pages and money</legend>
        <EntryGroup entry={entry} name="groups" of="rules.page_groups">
          {({ value, onChange }) => <PageGroups canEdit={canEdit} groups={value} error={entry.errorOf} set={onChange} />}
        </EntryGroup>
        <EntryGroup entry={entry} name="copies" of="rules.copies">
          {({ value, onChange }) => <Copies canEdit={canEdit} copies={value} error={entry.errorOf} set={onChange} />}
        </EntryGroup>
        <EntryGroup entry={entry} name="rates" of="rules.rates">
          {({ value, onChange }) => <Rates canEdit={canEdit} rates={value} currency={form.currency} error={entry.errorOf} set={onChange} />}
        </EntryGroup>
      </fieldset>
      <fieldset className={PART}>
        <legend className={LEGEND}>How hits are read</legend>
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
          "Hosts ignored as a source",
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
      <fieldset className={PART}>
        <legend className={LEGEND}>What is kept of visitors</legend>
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
        <p className="text-ink-2">
          E-mail addresses and phone numbers in addresses and properties are masked before anything is stored, and so are values of keys
          named like them.
        </p>
      </fieldset>
      <fieldset className={PART}>
        <legend className={LEGEND}>Sent automatically</legend>
        <EntryGroup entry={entry} name="sends" of="tagging.sends">
          {({ value, onChange }) => <Sending sends={value} set={onChange} />}
        </EntryGroup>
        {line("searches", "Query keys of a search on the site", "tagging.search_keys", "the first that is there holds what was looked for")}
        {area("players", "Hosts of embedded players", "tagging.players", "frames of other hosts whose messages are believed; one a line")}
        {choice("inserts_html", "HTML that rules insert", {
          yes: "may be inserted",
          no: "is not inserted",
          hint: "only owners can put it into a rule, and nothing in it runs",
        })}
      </fieldset>
    </EntryForm>
  );
}

const PART = "mb-5 grid break-inside-avoid content-start gap-2.5";
const LEGEND = "pb-1 font-serif text-title font-[560]";
