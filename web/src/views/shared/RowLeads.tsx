import type { Places } from "@/api/figures";
import { ComparedWithRest, SegmentOfThese, VisitsBehind } from "@/views/shared/Behind";
import { useLogbook } from "@/views/logbook/LogbookProvider";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useSteering } from "@/state/view";
import { MenuItem } from "@/ui/Menu";
import { valueWords } from "@/words/format";

interface RowLeadsProps {
  /** What its table is called, as a note begins. */
  title: string;
  places: Places;
}

/** Where a row leads, as items of its menu. */
export function RowLeads({ title, places }: RowLeadsProps) {
  const { site } = useSite();
  const { write } = useLogbook();
  return (
    <>
      <MenuItem asChild>
        <VisitsBehind places={places} />
      </MenuItem>
      <MenuItem asChild>
        <ComparedWithRest places={places} />
      </MenuItem>
      <MenuItem asChild>
        <SegmentOfThese places={places} />
      </MenuItem>
      {can(site, "edit") && (
        <MenuItem onSelect={() => write(`${title}: ${places.map((one) => valueWords(one.dimension, one.value)).join(", ")} – `)}>
          Note in the logbook
        </MenuItem>
      )}
    </>
  );
}

const NARROWING = { only: "Only these", without: "Without these", add: "Add to the filter" } as const;

/** All that can be done with a row of one value. */
export function RowItems({ title, places }: RowLeadsProps) {
  const { narrow } = useSteering();
  const last = places.at(-1);
  if (!last || last.value === "") return null;
  return (
    <>
      {(["only", "without", "add"] as const).map((how) => (
        <MenuItem key={how} onSelect={() => narrow(last.dimension, last.value, how)}>
          {NARROWING[how]}
        </MenuItem>
      ))}
      <RowLeads title={title} places={places} />
    </>
  );
}
