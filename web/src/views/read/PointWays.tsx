import type { Step } from "@/charts/course";
import { plusDays } from "@/state/days";
import { useSteering, useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { SegmentOfThese, VisitsBehind } from "@/views/shared/Behind";

const WAY = "text-teal underline-offset-3 hover:underline";

interface PointWaysProps {
  at: string;
  /** Where the next point begins; nothing behind the last. */
  following: string;
  bucket: Step;
}

/** Where a point of a course over time leads: its days alone, and of a day its visits and a segment of them. */
export function PointWays({ at, following, bucket }: PointWaysProps) {
  const { period } = useView();
  const { setPeriod } = useSteering();
  const first = at.slice(0, 10);
  const last = bucket === "hour" || bucket === "day" ? first : following ? plusDays(following, -1) : period.last;
  const places = [{ dimension: "day", value: first }];
  return (
    <>
      {(first !== period.first || last !== period.last) && (
        <Button kind="link" onClick={() => setPeriod({ first, last })}>
          Only {bucket === "hour" ? "this day" : `this ${bucket}`}
        </Button>
      )}
      {first === last && (
        <>
          <VisitsBehind className={WAY} places={places} />
          <SegmentOfThese className={WAY} places={places} />
        </>
      )}
    </>
  );
}
