import { Tabs as Radix } from "radix-ui";
import type { ReactNode } from "react";

interface Tab {
  value: string;
  label: string;
  content: ReactNode;
}

/** Parts of one thing, of which one is in view. */
export function Tabs({
  label,
  tabs,
  value,
  onChange,
}: {
  label: string;
  tabs: readonly Tab[];
  value: string;
  onChange: (value: string) => void;
}) {
  return (
    <Radix.Root value={value} onValueChange={onChange}>
      <Radix.List aria-label={label} className="flex gap-5 border-b border-hairline">
        {tabs.map((tab) => (
          <Radix.Trigger
            key={tab.value}
            value={tab.value}
            className="-mb-px border-b-2 border-transparent py-1.5 text-ink-2 hover:text-ink data-[state=active]:border-magenta data-[state=active]:font-semibold data-[state=active]:text-ink"
          >
            {tab.label}
          </Radix.Trigger>
        ))}
      </Radix.List>
      {tabs.map((tab) => (
        <Radix.Content key={tab.value} value={tab.value} className="pt-3">
          {tab.content}
        </Radix.Content>
      ))}
    </Radix.Root>
  );
}
