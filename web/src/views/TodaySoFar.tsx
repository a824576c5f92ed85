import { figure, within } from "@/words/format";

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
    <p className="so-far-line">
      Today so far:{" "}
      <button type="button" className="link" onClick={onShow}>
        {figure(visits, "count")} {visits === 1 ? "visit" : "visits"}
        {goal ? `, ${within(goal)}: ${figure(conversions, "count")}` : ""}
      </button>
    </p>
  );
}
