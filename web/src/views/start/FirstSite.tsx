import { Compass } from "@/ui/Compass";
import { Door } from "@/ui/Door";
import { Answer } from "@/ui/text";
import { DeletedSites } from "@/views/account/DeletedSites";
import { SiteEntry } from "@/views/start/SiteEntry";

/** An empty installation: the first site. */
export function FirstSite() {
  return (
    <Door>
      <Compass size={48} />
      <Answer>Your first site</Answer>
      <p className="text-ink-2">Then comes the line of code for its pages, and a check that it works.</p>
      <SiteEntry />
      <DeletedSites />
    </Door>
  );
}
