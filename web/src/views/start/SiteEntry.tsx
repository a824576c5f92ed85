import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";

import { ask, client, type Schemas, type Site } from "@/api/client";
import { sitesQuery } from "@/api/queries";
import { START } from "@/state/paths";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { Button } from "@/ui/Button";
import { Combobox } from "@/ui/Combobox";
import { Input } from "@/ui/Field";
import { usualCurrency } from "@/words/money";

/** A new site: what it is called and where it is; the time zone and the currency are proposed from the browser. */
export function SiteEntry() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const entry = useEntry({
    values: {
      name: "",
      hosts: "",
      timezone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      currency: usualCurrency(navigator.language),
    },
    send: ({ name, hosts, timezone, currency }) => {
      // An address is taken as its host.
      const rules = {
        hosts: hosts
          .split(/[\s,]+/)
          .filter(Boolean)
          .map((one) => (/^https?:\/\//.test(one) && URL.canParse(one) ? new URL(one).host : one)),
        timezone: timezone.trim(),
        currency: currency.trim().toUpperCase(),
      };
      return ask(client.POST("/api/v1/sites", { body: { name, rules } as Schemas["SiteIn"] }));
    },
    after: (site: Site) =>
      void navigate({ to: START, params: { site: site.key } }).then(() =>
        queries.setQueryData<Site[]>(sitesQuery.queryKey, (sites) => [...(sites ?? []), site]),
      ),
    touches: "nothing",
  });
  return (
    <EntryForm
      entry={entry}
      label="A new site"
      className="w-full max-w-[460px]"
      foot={
        <Button type="submit" kind="primary" disabled={entry.isSending}>
          Add the site
        </Button>
      }
    >
      <EntryField entry={entry} name="name" label="Name" hint="as it stands in the line at the top">
        {(control) => <Input {...control} placeholder="The mill" />}
      </EntryField>
      <EntryField
        entry={entry}
        name="hosts"
        of="rules.hosts"
        label="Hosts"
        hint="where its pages are, such as mill.example; several with a space between"
      >
        {(control) => <Input {...control} placeholder="mill.example" autoCapitalize="none" />}
      </EntryField>
      <EntryField entry={entry} name="timezone" of="rules.timezone" label="Time zone" hint="days begin at its midnight">
        {(control) => <Combobox {...control} suggestions={Intl.supportedValuesOf("timeZone")} />}
      </EntryField>
      <EntryField entry={entry} name="currency" of="rules.currency" label="Currency" hint="three letters, such as EUR">
        {(control) => <Combobox {...control} suggestions={Intl.supportedValuesOf("currency")} />}
      </EntryField>
    </EntryForm>
  );
}
