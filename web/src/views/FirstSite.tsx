import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { ApiError, ask, client, type Schemas } from "@/api/client";
import { Compass } from "@/frame/Mark";
import { Code } from "@/pieces/Code";
import { Field, Input } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { siteCode } from "@/words/code";

/** An empty installation: the first site, and the line that goes on its pages. */
export function FirstSite() {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [hosts, setHosts] = useState("");
  const [currency, setCurrency] = useState("EUR");
  const add = useMutation({
    mutationFn: () => {
      const rules = {
        hosts: hosts.split(/[\s,]+/).filter(Boolean),
        currency: currency.trim().toUpperCase(),
        timezone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      };
      return ask(client.POST("/api/v1/sites", { body: { name, rules } as Schemas["SiteIn"] }));
    },
  });
  const errors = add.error instanceof ApiError ? (add.error.problem.errors ?? []) : [];
  const error = (field: string) => errors.find((one) => one.field.startsWith(field))?.text;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    add.mutate();
  };
  if (add.data) return <Tag site={add.data} go={() => void queries.invalidateQueries({ queryKey: ["sites"] })} />;
  const fields = [
    { key: "name", label: "What the site is called", value: name, set: setName, hint: "" },
    { key: "rules.hosts", label: "Its hosts", value: hosts, set: setHosts, hint: "such as mill.example; several with a space between" },
    { key: "rules.currency", label: "Its currency", value: currency, set: setCurrency, hint: "three letters, such as EUR" },
  ];
  return (
    <main className="door">
      <Compass size={48} />
      <h1 className="answer">Your first site</h1>
      <form className="form" onSubmit={submit} noValidate>
        {fields.map(({ key, label, value, set, hint }) => (
          <Field key={key} label={label} hint={hint} error={error(key)}>
            {(control) => <Input {...control} value={value} onChange={(event) => set(event.target.value)} />}
          </Field>
        ))}
        {add.error && errors.length === 0 && (
          <p className="wrong" role="alert">
            {add.error.message}
          </p>
        )}
        <Button type="submit" kind="primary" disabled={add.isPending}>
          Add the site
        </Button>
      </form>
    </main>
  );
}

function Tag({ site, go }: { site: Schemas["SiteOut"]; go: () => void }) {
  return (
    <main className="door">
      <Compass size={48} />
      <h1 className="answer">Put this line into the head of every page of {site.name}</h1>
      <Code text={siteCode(location.origin, site.key)} />
      <p className="quiet">Visits then appear by themselves.</p>
      <Button kind="primary" onClick={go}>
        To the Overview
      </Button>
    </main>
  );
}
