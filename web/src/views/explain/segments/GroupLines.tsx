import { clsx } from "clsx";
import { useState } from "react";

import { Button } from "@/ui/Button";
import { Cross } from "@/ui/icons";
import { FieldError } from "@/ui/Field";
import { Menu, MenuItem } from "@/ui/Menu";
import { Chosen } from "@/views/shared/Chosen";
import { DidLine, DimensionLine, NumberLine, OrderLine, SavedLine, WholeLine } from "@/views/explain/segments/ConditionLine";
import { faultAt, newMatch, type ConditionDraft, type Faults, type GroupDraft, type Path } from "@/views/explain/segments/draft";

const GROUPS = [
  { value: "all", label: "All of these" },
  { value: "any", label: "Any of these" },
  { value: "none", label: "None of these" },
  { value: "one hit", label: "All of these in one hit" },
];
/** The outermost group is one of the first three. */
const isOfMany = ({ value }: { value: string }): boolean => value !== "one hit";

const A_VALUE = {
  label: "A value: channel, country, page …",
  make: (): ConditionDraft => ({ kind: "dimension", dimension: "channel", test: "is", values: [null] }),
};
/** What can be added, and as what it begins. */
const KINDS: { label: string; make: () => ConditionDraft }[] = [
  A_VALUE,
  { label: "A page that was seen", make: () => ({ kind: "did", match: newMatch("view"), test: "at least", times: "1" }) },
  { label: "An event that was done", make: () => ({ kind: "did", match: newMatch("event"), test: "at least", times: "1" }) },
  { label: "An order", make: () => ({ kind: "did", match: newMatch("order"), test: "at least", times: "1" }) },
  {
    label: "Things done in order",
    make: () => ({ kind: "in order", steps: [newMatch("view"), newMatch("event")], within: "", unit: "days", directly: false }),
  },
  { label: "A number of the visit", make: () => ({ kind: "number", of: "views", test: "≥", than: "" }) },
  { label: "Being in a saved segment", make: () => ({ kind: "saved", id: null }) },
];

const MAX_DEPTH = 5;

interface GroupLinesProps {
  group: GroupDraft;
  set: (group: GroupDraft) => void;
  faults: Faults;
  path?: Path;
  /** The saved segment that is edited. */
  own: number | null;
  onRemove?: () => void;
}

/** A group of conditions, held together by a bracket. */
export function GroupLines({ group, set, faults, path = [], own, onRemove }: GroupLinesProps) {
  const [added, setAdded] = useState<number | null>(null);
  const { of, conditions } = group;
  const put = (place: number, to: ConditionDraft) => set({ ...group, conditions: conditions.map((one, i) => (i === place ? to : one)) });
  const remove = (place: number) => set({ ...group, conditions: conditions.filter((_, i) => i !== place) });
  const add = (one: ConditionDraft) => {
    setAdded(conditions.length);
    set({ ...group, conditions: [...conditions, one] });
  };
  const name = GROUPS.find((one) => one.value === of)?.label ?? of;
  const own_ = faultAt(faults, path);
  const isOneHit = of === "one hit";
  const canBeOneHit = path.length > 0 && conditions.every((one) => one.kind === "dimension");
  return (
    <div
      role="group"
      aria-label={name}
      className={clsx(
        "relative py-0.5 pl-[18px] before:absolute before:inset-y-1 before:left-0 before:w-1.5 before:border before:border-r-0 before:border-magenta",
        of === "none" && "before:border-dashed",
        path.length > 0 && "mt-2.5 mb-1",
      )}
    >
      <div className="flex items-center gap-2 pb-1">
        <span className="font-serif text-title font-[560] [&_button]:border-magenta [&_button]:text-magenta">
          <Chosen
            isWord
            label="How many of these must hold"
            value={of}
            options={canBeOneHit ? GROUPS : GROUPS.filter(isOfMany)}
            onChange={(to) => set({ ...group, of: to as GroupDraft["of"] })}
          />
        </span>
        {onRemove && (
          <Button kind="icon" className="ml-auto" aria-label={`Remove: ${name.toLowerCase()}`} onClick={onRemove}>
            <Cross />
          </Button>
        )}
      </div>
      {own_ && path.length > 0 && <FieldError>{own_}</FieldError>}
      {conditions.map((one, place) => {
        const here = [...path, place];
        const parts = { onRemove: () => remove(place), fault: faultAt(faults, here), isNew: added === place };
        const change = (to: ConditionDraft) => put(place, to);
        switch (one.kind) {
          case "dimension":
            return <DimensionLine key={place} condition={one} set={change} {...parts} />;
          case "number":
            return <NumberLine key={place} condition={one} set={change} {...parts} />;
          case "did":
            return <DidLine key={place} condition={one} set={change} {...parts} />;
          case "in order":
            return <OrderLine key={place} condition={one} set={change} {...parts} />;
          case "saved":
            return <SavedLine key={place} condition={one} set={change} own={own} {...parts} />;
          case "way":
          case "segment":
            return <WholeLine key={place} condition={one} {...parts} />;
          default:
            return <GroupLines key={place} group={one} set={change} faults={faults} path={here} own={own} onRemove={parts.onRemove} />;
        }
      })}
      <p className="flex gap-x-5 leading-8">
        <Menu
          trigger={
            <Button kind="link" aria-label={`Add a condition to: ${name.toLowerCase()}`}>
              Add a condition
            </Button>
          }
        >
          {(isOneHit ? [A_VALUE] : KINDS).map(({ label, make }) => (
            <MenuItem key={label} onSelect={() => add(make())}>
              {label}
            </MenuItem>
          ))}
        </Menu>
        {!isOneHit && path.length < MAX_DEPTH - 1 && (
          <Menu
            trigger={
              <Button kind="link" aria-label={`Add a group to: ${name.toLowerCase()}`}>
                Add a group
              </Button>
            }
          >
            {GROUPS.map(({ value, label }) => (
              <MenuItem key={value} onSelect={() => add({ kind: "group", of: value as GroupDraft["of"], conditions: [] })}>
                {label}
              </MenuItem>
            ))}
          </Menu>
        )}
      </p>
    </div>
  );
}
