import { useState, type FormEvent } from "react";

import { fieldErrors } from "@/pieces/fieldErrors";
import { Field, Input } from "@/ui/Field";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { OnlyIf } from "@/views/tag/rules/OnlyIf";
import { ThenFields } from "@/views/tag/rules/ThenFields";
import { WhenFields } from "@/views/tag/rules/WhenFields";
import { badSelectors, ruleWords, type Rule } from "@/words/rules";

interface RuleFormProps {
  rule: Rule;
  fresh: boolean;
  /** Its place in the draft that is sent. */
  place: number;
  busy: boolean;
  error: Error | null;
  onChange: () => void;
  onSave: (rule: Rule) => void;
  onDrop: () => void;
  onClose: () => void;
}

/** Makes or changes one rule of the draft. */
export function RuleForm({ rule, fresh, place, busy, error, onChange, onSave, onDrop, onClose }: RuleFormProps) {
  const { site } = useView();
  const canEdit = site.role !== "viewer";
  const [given, setGiven] = useState(rule);
  const [tried, setTried] = useState(false);
  const set = (change: Partial<Rule>) => {
    onChange();
    setGiven({ ...given, ...change });
  };
  const at = `rules.${place}`;
  const { of, all } = fieldErrors(error, [at]);
  const bad = badSelectors(given);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setTried(true);
    if (!bad.length) onSave(given);
  };
  return (
    <form className="form" onSubmit={submit} noValidate aria-label={fresh ? "A new rule" : `The rule ${rule.name}`}>
      <h2 className="title">{fresh ? "A new rule" : rule.name}</h2>
      <fieldset disabled={!canEdit}>
        <Field label="Name" hint="for you and your colleagues; pages never see it" error={of(`${at}.name`)}>
          {(control) => <Input {...control} value={given.name} onChange={(event) => set({ name: event.target.value })} />}
        </Field>
        <WhenFields when={given.when} error={of(`${at}.when`)} set={(when) => set({ when })} />
        <OnlyIf
          value={given.only_if}
          fields={site.rules.fields.map((field) => field.key)}
          error={(one) => of(`${at}.only_if.${one}`)}
          set={(only_if) => set({ only_if })}
        />
        <ThenFields value={given.then} error={(one) => of(`${at}.then.${one}`)} set={(then) => set({ then })} />
        <Checkbox label="Paused" hint="kept, and does nothing" checked={given.paused} onChange={(paused) => set({ paused })} />
      </fieldset>
      <p className="quiet words">{ruleWords(given)}</p>
      <div className="end">
        {tried && bad.length > 0 && (
          <p className="wrong" role="alert">
            No browser can read the selector {bad[0]}.
          </p>
        )}
        {error && (
          <p className="wrong" role="alert">
            {all ?? "Nothing was saved; what is wrong stands beside its part."}
          </p>
        )}
        {canEdit && (
          <Button type="submit" kind="primary" disabled={busy}>
            Save in the draft
          </Button>
        )}
        <Button onClick={onClose}>Close</Button>
        {canEdit && !fresh && (
          <Button disabled={busy} onClick={onDrop}>
            Remove
          </Button>
        )}
      </div>
    </form>
  );
}
