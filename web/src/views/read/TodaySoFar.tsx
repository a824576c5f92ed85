import { figure, within } from "@/words/format";

import { Button } from "@/ui/Button";

/** Today is not over, so it is in no figure; but one may look at it. */
export function TodaySoFar({
  visits,
  conversions,
  goal,
  onShow,
}: {
  visits: number;
  conversions: number;
  goal: string | undefined;
  onShow: () => void;
}) {
  return (
    <p className="pt-1 text-right text-label text-ink-2">
      Today so far:{" "}
      <Button kind="link" className="relative" onClick={onShow}>
        {figure(visits, "count")} {visits === 1 ? "visit" : "visits"}
        {goal ? `, ${within(goal)}: ${figure(conversions, "count")}` : ""}
      </Button>
    </p>
  );
}
