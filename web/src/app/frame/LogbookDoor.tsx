import { useQuery } from "@tanstack/react-query";

import { logbookQuery } from "@/api/queries";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { useLogbook } from "@/views/logbook/LogbookProvider";

/** To the logbook: a note on what is in view, and how much is noted of the days that are read. */
export function LogbookDoor() {
  const { site } = useSite();
  const { period } = useView();
  const { read, write } = useLogbook();
  const { data } = useQuery(logbookQuery(site.key));
  const here = data?.filter((one) => one.first <= period.last && one.last >= period.first).length ?? 0;
  return (
    <span className="ml-auto flex items-center gap-5">
      {can(site, "edit") && (
        <Button kind="quiet" data-key="n" onClick={() => write()}>
          Note <kbd className="max-[720px]:hidden">n</kbd>
        </Button>
      )}
      <Button kind="quiet" onClick={read}>
        Logbook {here > 0 && <span className="text-ink-2">{here} here</span>}
      </Button>
    </span>
  );
}
