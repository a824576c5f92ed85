import { Chosen } from "@/views/shared/Chosen";
import type { Sizes } from "@/views/explain/compared";
import { againstNames, againstWords, groupNames, groupWords, type Comparison } from "@/views/explain/groups";
import type { ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { figure, within } from "@/words/format";

interface GroupsLineProps {
  comparison: Comparison;
  sizes: Sizes | undefined;
  set: (to: Pick<ViewSearch, "group" | "against" | "by" | "units">) => void;
}

/** What is held against what, as a sentence whose dotted words are its controls. */
export function GroupsLine({ comparison, sizes, set }: GroupsLineProps) {
  const { goals, segments, registry } = useSite();
  const { period, segment } = useView();
  const known = { goals, segments };
  const { group, against, units, by } = comparison;
  const size = (which: "a" | "b") => (sizes ? figure(sizes[which], "count") : "…");
  const dimensions = (registry?.dimensions ?? []).map((one) => ({ value: one.name, label: within(one.title) }));
  return (
    <p className="text-ink-2">
      Held against each other:{" "}
      <Chosen
        label="Group"
        value={group}
        options={groupNames({ ...known, segment }).map((name) => ({ value: name, label: groupWords(name, units, known) }))}
        onChange={(to) => set({ group: to, ...(to === "everybody" ? { against: undefined } : {}) })}
      />
      , {size("a")}, and{" "}
      <Chosen
        label="Held against"
        value={against}
        options={againstNames(group, segments).map((one) => ({ value: one, label: againstWords(one, period, units, known) }))}
        onChange={(to) => set({ against: to === "rest" ? undefined : to })}
      />
      , {size("b")}. By{" "}
      <Chosen
        label="By"
        value={by ?? ""}
        options={[{ value: "", label: "every dimension" }, ...dimensions]}
        onChange={(to) => set({ by: to || undefined })}
      />
      , in{" "}
      <Chosen
        label="Counted in"
        value={units}
        options={(["people", "visits"] as const).map((one) => ({ value: one, label: one }))}
        onChange={(to) => set({ units: to === "visits" ? to : undefined })}
      />
      . Strongest evidence first.
    </p>
  );
}
