import type { Schemas } from "@/api/client";
import { Checkbox } from "@/ui/Choices";

export type Sends = Required<Schemas["Sends"]>;

const SWITCHES: [keyof Sends, string, string][] = [
  ["downloads", "Downloads", "links to files"],
  ["outbound", "Outbound clicks", "links to other hosts"],
  ["forms", "Forms", "seen, begun and sent, by the form’s name"],
  ["media", "Video and audio", "where they start, how far they play"],
  ["site_search", "Site search", "what was looked for, from the address"],
  ["promotions", "Promotions", "elements with data-uc-promo, seen and clicked"],
  ["scroll_depth", "Scroll depth", "a quarter, half, three quarters, nine tenths"],
  ["script_errors", "Script errors", "what the pages’ own scripts throw, for Tag health"],
];

/** What the script sends automatically; what is off is not loaded. */
export function Sending({ sends, set }: { sends: Sends; set: (sends: Sends) => void }) {
  return (
    <div className="grid gap-1.5" role="group" aria-label="Sent automatically">
      {SWITCHES.map(([key, name, meaning]) => (
        <Checkbox key={key} label={name} hint={meaning} checked={sends[key]} onChange={(to) => set({ ...sends, [key]: to })} />
      ))}
    </div>
  );
}
