import { SavedFunnels } from "@/views/explain/funnels/SavedFunnels";
import type { FunnelInHand } from "@/views/explain/funnels/useFunnel";
import { NumberWord } from "@/views/explain/segments/Written";
import { Chosen } from "@/views/shared/Chosen";
import { typedNumber } from "@/forms/numbers";
import { useSite } from "@/state/site";
import { within } from "@/words/format";
import type { Funnel } from "@/words/funnels";
import { useState } from "react";

interface FunnelLineProps {
  funnel: Funnel;
  inHand: FunnelInHand;
}

const BETWEEN = [
  { value: "anything", label: "anything between the steps" },
  { value: "directly", label: "no other page between the steps" },
];
/** Windows that are often wanted, in minutes. */
const WINDOWS = [
  { value: "", label: "any time" },
  { value: "30", label: "30 minutes" },
  { value: "60", label: "60 minutes" },
  { value: "1440", label: "a day" },
  { value: "10080", label: "7 days" },
  { value: "43200", label: "30 days" },
  { value: "own", label: "so many minutes …" },
];

/** What is counted, and how, as a sentence whose dotted words are its controls. */
export function FunnelLine({ funnel, inHand }: FunnelLineProps) {
  const { by, set, splitBy } = inHand;
  const { registry } = useSite();
  const [isOwn, setOwn] = useState(false);
  const minutes = funnel.window_minutes == null ? "" : String(funnel.window_minutes);
  const isKnown = WINDOWS.some((one) => one.value === minutes);
  const [typed, setTyped] = useState(minutes);
  const isWrong = !(typedNumber(typed) > 0 && typedNumber(typed) <= 1e7);
  const windows = isKnown ? WINDOWS : [{ value: minutes, label: `${minutes} minutes` }, ...WINDOWS];
  const dimensions = (registry?.dimensions ?? []).map((one) => ({ value: one.name, label: within(one.title) }));
  const take = () => {
    if (isWrong) return;
    setOwn(false);
    set({ window_minutes: typedNumber(typed) });
  };
  return (
    <p className="min-w-0 wrap-anywhere text-ink-2">
      <SavedFunnels inHand={inHand} />
      Counted by{" "}
      <Chosen
        label="Counted by"
        value={funnel.units}
        options={(["visits", "people"] as const).map((one) => ({ value: one, label: one }))}
        onChange={(to) => set({ units: to as Funnel["units"] })}
      />
      , with{" "}
      <Chosen
        label="Between the steps"
        value={funnel.directly_next ? "directly" : "anything"}
        options={BETWEEN}
        onChange={(to) => set({ directly_next: to === "directly" })}
      />
      , within{" "}
      {isOwn ? (
        <span onBlur={take} onKeyDown={(event) => event.key === "Enter" && take()}>
          <NumberWord label="Within how many minutes" value={typed} isWrong={isWrong} isNew onChange={setTyped} /> minutes
          {isWrong && <span className="text-rust"> (a number above 0)</span>}
        </span>
      ) : (
        <Chosen
          label="Within"
          value={minutes}
          options={windows}
          onChange={(to) => (to === "own" ? setOwn(true) : set({ window_minutes: to ? Number(to) : null }))}
        />
      )}
      . Split by <Chosen label="Split by" value={by} options={[{ value: "", label: "nothing" }, ...dimensions]} onChange={splitBy} />.
    </p>
  );
}
