import { Answer } from "@/ui/text";
import { SiteEntry } from "@/views/start/SiteEntry";

/** Another site of the same people. */
export function NewSite() {
  return (
    <div className="grid gap-3">
      <Answer>Another site</Answer>
      <p className="text-ink-2">Sites share nothing: each has its own code, its own people, its own reports.</p>
      <SiteEntry />
    </div>
  );
}
