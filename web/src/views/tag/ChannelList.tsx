import { useState } from "react";

import { Field, Input } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { figure } from "@/words/format";
import { PARTS, PART_WORDS, ruleWords, type ChannelRule } from "@/words/sorting";

interface ChannelListProps {
  channels: ChannelRule[];
  counts: Map<string, number>;
  canEdit: boolean;
  error: (...fields: string[]) => string | undefined;
  set: (channels: ChannelRule[]) => void;
}

/** The ordered channels: the first that matches takes the visit. */
export function ChannelList({ channels, counts, canEdit, error, set }: ChannelListProps) {
  const [open, setOpen] = useState<number | null>(null);
  const change = (place: number, rule: ChannelRule) => set(channels.map((one, i) => (i === place ? rule : one)));
  const move = (place: number, by: number) => {
    const to = place + by;
    const moved = channels.filter((_, i) => i !== place);
    moved.splice(to, 0, ...channels.slice(place, place + 1));
    set(moved);
    setOpen(to);
  };
  return (
    <section aria-label="Channels">
      <h2 className="title">Channels, in their order</h2>
      <ol className="channels">
        <li className="quiet" aria-hidden="true">
          <div className="line">
            <span />
            <span>Channel</span>
            <span>Takes</span>
            <span className="num">90 days</span>
          </div>
        </li>
        {channels.map((rule, place) => (
          <li key={place} aria-current={open === place ? "true" : undefined}>
            <div className="line">
              <span className="quiet num">{place + 1}</span>
              <button
                type="button"
                className="opener"
                aria-expanded={open === place}
                onClick={() => setOpen(open === place ? null : place)}
              >
                {rule.channel || "without a name"}
              </button>
              <span className="takes">{ruleWords(rule)}</span>
              <span className="num">{figure(counts.get(rule.channel) ?? 0, "count")}</span>
            </div>
            {error(`channels.${place}`) && (
              <p className="wrong" role="alert">
                {error(`channels.${place}`)}
              </p>
            )}
            {open === place && (
              <fieldset disabled={!canEdit} className="form">
                <legend className="sr-only">{rule.channel}</legend>
                <RuleForm rule={rule} set={(to) => change(place, to)} />
                <div className="end">
                  <Button disabled={place === 0} onClick={() => move(place, -1)}>
                    Earlier
                  </Button>
                  <Button disabled={place === channels.length - 1} onClick={() => move(place, 1)}>
                    Later
                  </Button>
                  <Button
                    onClick={() => {
                      set(channels.filter((_, i) => i !== place));
                      setOpen(null);
                    }}
                  >
                    Remove
                  </Button>
                </div>
              </fieldset>
            )}
          </li>
        ))}
        <li className="quiet">
          <div className="line">
            <span />
            <span>Unsorted</span>
            <span className="takes">what no channel takes</span>
            <span className="num">{figure(counts.get("Unsorted") ?? 0, "count")}</span>
          </div>
        </li>
      </ol>
      {canEdit && (
        <Button
          onClick={() => {
            set([...channels, { channel: "", any_of: [{ mediums: [] }] }]);
            setOpen(channels.length);
          }}
        >
          Add a channel
        </Button>
      )}
    </section>
  );
}

const listed = (text: string): string[] =>
  text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean);

function RuleForm({ rule, set }: { rule: ChannelRule; set: (rule: ChannelRule) => void }) {
  // What is typed is kept as it is typed; a comma at the end is not yet a value.
  const [typed, setTyped] = useState<Record<string, string>>({});
  const change = (place: number, part: (typeof PARTS)[number], text: string) => {
    setTyped({ ...typed, [`${place} ${part}`]: text });
    const values = listed(text);
    set({ ...rule, any_of: rule.any_of.map((test, i) => (i === place ? { ...test, [part]: values.length ? values : null } : test)) });
  };
  return (
    <>
      <Field label="Name of the channel">
        {(control) => <Input {...control} value={rule.channel} onChange={(event) => set({ ...rule, channel: event.target.value })} />}
      </Field>
      {rule.any_of.map((test, place) => (
        <div key={place} className="quarters" role="group" aria-label={`Way ${place + 1}`}>
          {place > 0 && <p className="quiet whole">or</p>}
          {PARTS.map((part) => (
            <Field key={part} label={`${PART_WORDS[part].charAt(0).toUpperCase()}${PART_WORDS[part].slice(1)} is one of`}>
              {(control) => (
                <Input
                  {...control}
                  value={typed[`${place} ${part}`] ?? test[part]?.join(", ") ?? ""}
                  placeholder={part === "kinds" ? "search, social, mail …" : "any"}
                  onChange={(event) => change(place, part, event.target.value)}
                />
              )}
            </Field>
          ))}
        </div>
      ))}
      <Button kind="link" onClick={() => set({ ...rule, any_of: [...rule.any_of, { mediums: null }] })}>
        Or another way …
      </Button>
    </>
  );
}
