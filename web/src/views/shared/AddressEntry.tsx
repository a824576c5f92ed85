import type { FocusEventHandler, ReactNode } from "react";

import { EntryField, EntryForm } from "@/forms/EntryForm";
import type { Entry } from "@/forms/useEntry";
import { Input } from "@/ui/Field";

/** Nothing is wrong with an address that a browser can go to. */
export const wholeAddress = ({ address }: { address: string }): { address?: string } =>
  URL.canParse(address) && /^https?:$/.test(new URL(address).protocol)
    ? {}
    : { address: "Give a whole address, such as https://mill.example/." };

interface AddressEntryProps {
  entry: Entry<{ address: string }>;
  label: string;
  onFocus: FocusEventHandler<HTMLInputElement>;
  /** What is done with it. */
  children: ReactNode;
}

/** A page of the site that something is tried on. */
export function AddressEntry({ entry, label, onFocus, children }: AddressEntryProps) {
  return (
    <EntryForm entry={entry} label={label} isKept={false}>
      <div className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-2 has-[[role=alert]]:items-center">
        <EntryField entry={entry} name="address" label="A page of the site">
          {(control) => <Input {...control} type="url" onFocus={onFocus} />}
        </EntryField>
        {children}
      </div>
    </EntryForm>
  );
}
