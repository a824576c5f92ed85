import { clsx } from "clsx";
import { useState } from "react";

import { FieldError, Field, Input } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { figure } from "@/words/format";
import { PARTS, PART_WORDS, ruleWords, type ChannelRule } from "@/words/sorting";
import { Part } from "@/ui/layout";
import { Opener } from "@/ui/Opener";
import { Actions } from "@/ui/text";
import { lastDays } from "@/state/days";
import { useSite } from "@/state/site";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { Unsorted } from "@/views/tag/Unsorted";

const LINE = "grid grid-cols-[22px_minmax(0,1fr)_60px] items-baseline gap-2 py-1 min-[700px]:grid-cols-[22px_148px_minmax(0,1fr)_60px]";
const TAKES = "text-ink-2 max-[700px]:col-start-2 max-[700px]:col-end-[-1] max-[700px]:row-start-2";

interface ChannelListProps {
  channels: ChannelRule[];
  counts: Map<string, number>;
  canEdit: boolean;
  error: (...fields: string[]) => string | undefined;
  set: (channels: ChannelRule[]) => void;
}

/** The ordered channels: the first that matches takes the visit. */
export function ChannelList({ channels, counts, canEdit, error, set }: ChannelListProps) {
  const { site } = useSite();
  const [open, setOpen] = useState<number | null>(null);
  const change = (place: number, rule: ChannelRule) => set(channels.map((one, i) => (i === place ? rule : one)));
  const move = (place: number, by: number) => {
    const to = place + by;
    const moved = channels.filter((_, i) => i !== place);
    moved.splice(to, 0, ...channels.slice(place, place + 1));
    set(moved);
    setOpen(to);
  };
  const { first: from, last: to } = lastDays(site.today, 90);
  const count = (channel: string) => (
    <span className="text-right">
      <OpenedCell
        row={channel}
        text={figure(counts.get(channel) ?? 0, "count")}
        opened={{ measure: "visits", title: "Visits", of: [{ dimension: "channel", value: channel }], under: { from, to } }}
      />
    </span>
  );
  const named = [...new Set(channels.map((rule) => rule.channel).filter(Boolean))];
  const give = (medium: string, channel: string) => {
    const place = channels.map((rule) => rule.channel).lastIndexOf(channel);
    const rule = channels[place];
    if (rule) change(place, { ...rule, any_of: [...rule.any_of, { mediums: [medium] }] });
  };
  return (
    <Part isWide title="Channels, in their order" aria-label="Channels">
      <ol>
        <li className={clsx(LINE, "border-b border-hairline text-ink-2")} aria-hidden="true">
          <span />
          <span>Channel</span>
          <span className="max-[700px]:hidden">Takes</span>
          <span className="text-right">90 days</span>
        </li>
        {channels.map((rule, place) => (
          <li
            key={place}
            aria-current={open === place ? "true" : undefined}
            className="border-b border-hairline aria-[current]:bg-sea-1/45"
          >
            <div className={LINE}>
              <span className="text-right text-ink-2">{place + 1}</span>
              <Opener isOpen={open === place} onToggle={() => setOpen(open === place ? null : place)}>
                {rule.channel || "without a name"}
              </Opener>
              <span className={TAKES}>{ruleWords(rule)}</span>
              {count(rule.channel)}
            </div>
            {error(`channels.${place}`) && <FieldError>{error(`channels.${place}`)}</FieldError>}
            {open === place && (
              <fieldset disabled={!canEdit} className="grid gap-2 px-3.5 py-2.5">
                <legend className="sr-only">{rule.channel}</legend>
                <RuleForm rule={rule} set={(to) => change(place, to)} />
                <Actions>
                  <Button disabled={place === 0} onClick={() => move(place, -1)}>
                    Move up
                  </Button>
                  <Button disabled={place === channels.length - 1} onClick={() => move(place, 1)}>
                    Move down
                  </Button>
                  <Button
                    onClick={() => {
                      set(channels.filter((_, i) => i !== place));
                      setOpen(null);
                    }}
                  >
                    Remove
                  </Button>
                </Actions>
              </fieldset>
            )}
          </li>
        ))}
        <li>
          <div className={LINE}>
            <span />
            <Opener
              isOpen={open === channels.length + 1}
              onToggle={() => setOpen(open === channels.length + 1 ? null : channels.length + 1)}
            >
              Unsorted
            </Opener>
            <span className={TAKES}>what no channel takes</span>
            {count("Unsorted")}
          </div>
          {open === channels.length + 1 && <Unsorted channels={named} canEdit={canEdit} onGive={give} />}
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
    </Part>
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
        <div key={place} className="grid grid-cols-2 gap-x-3 gap-y-2" role="group" aria-label={`Way ${place + 1}`}>
          {place > 0 && <p className="col-span-full text-ink-2">or</p>}
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
