import { EntryField, EntryForm, EntryGroup, EntryToggle } from "@/forms/EntryForm";
import { useLeave } from "@/forms/leaving";
import { useEntry, useHeld } from "@/forms/useEntry";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Title } from "@/ui/text";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";
import { OnlyIf } from "@/views/tag/rules/OnlyIf";
import { ThenFields } from "@/views/tag/rules/ThenFields";
import { WhenFields } from "@/views/tag/rules/WhenFields";
import { badSelectors, ruleWords, type Rule } from "@/words/rules";

interface RuleFormProps {
  rule: Rule;
  fresh: boolean;
  /** Its place in the draft that is sent. */
  place: number;
  onSave: (rule: Rule) => Promise<unknown>;
  onDrop: () => void;
  onClose: () => void;
}

/** Makes or changes one rule of the draft. */
export function RuleForm({ rule, fresh, place, onSave, onDrop, onClose }: RuleFormProps) {
  const { site } = useSite();
  const leave = useLeave();
  const canEdit = can(site, "edit");
  const at = `rules.${place}`;
  const entry = useEntry<Rule>({
    touches: "rules",
    values: rule,
    send: onSave,
    check: (given) => {
      const [bad] = badSelectors(given);
      return bad === undefined ? {} : { when: `No browser can read the selector ${bad}.` };
    },
    after: onClose,
  });
  const given = useHeld(entry);
  return (
    <EntryForm
      entry={entry}
      label={fresh ? "A new rule" : `The rule ${rule.name}`}
      canEdit={canEdit}
      foot={
        <>
          {canEdit && (
            <Button type="submit" kind="primary" disabled={entry.isSending}>
              Save in the draft
            </Button>
          )}
          <Button onClick={() => leave(onClose)}>Close</Button>
          {canEdit && !fresh && <Button onClick={onDrop}>Remove</Button>}
        </>
      }
    >
      <Title>{fresh ? "A new rule" : rule.name}</Title>
      <EntryField entry={entry} name="name" of={`${at}.name`} label="Name" hint="for you and your colleagues; pages never see it">
        {(control) => <Input {...control} />}
      </EntryField>
      <EntryGroup entry={entry} name="when" of={`${at}.when`}>
        {({ value, onChange, error }) => <WhenFields when={value} error={error} set={onChange} />}
      </EntryGroup>
      <EntryGroup entry={entry} name="only_if" of={`${at}.only_if`}>
        {({ value, onChange }) => (
          <OnlyIf
            value={value}
            fields={site.rules.fields.map((field) => field.key)}
            error={(one) => entry.errorOf(`${at}.only_if.${one}`)}
            set={onChange}
          />
        )}
      </EntryGroup>
      <EntryGroup entry={entry} name="then" of={`${at}.then`}>
        {({ value, onChange }) => <ThenFields value={value} error={(one) => entry.errorOf(`${at}.then.${one}`)} set={onChange} />}
      </EntryGroup>
      <EntryToggle entry={entry} name="paused" label="Paused" hint="kept, and does nothing" />
      <p className="text-ink-2" data-words>
        {ruleWords(given)}
      </p>
    </EntryForm>
  );
}
