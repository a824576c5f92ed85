import type { StoredGoal } from "@/api/client";
import { seenPart } from "@/views/explain/drivers/parts";
import { ComparedWithRest, VisitsBehind } from "@/views/shared/Behind";
import { isText } from "@/state/shown";
import { useView } from "@/state/view";
import { Sheet } from "@/ui/Dialog";
import { Title } from "@/ui/text";
import { gap, gapBetween, standardised, type PageDriver } from "@/words/drivers";
import { figure, periodWords, valueWords } from "@/words/format";

/** The page of which an address says that it is opened. */
export const readGap = (given: unknown): string | null => (isText(given) ? given : null);

interface OpenedGapProps {
  page: PageDriver;
  goal: StoredGoal;
  onClose: () => void;
  onCloseAutoFocus: (event: Event) => void;
}

const WAY = "text-teal underline-offset-3 hover:underline";
const HEAD = "mt-[18px] border-t border-hairline pt-2.5";

/** Behind a gap between who saw a page and who did not: what both are, channel by channel, so that it can be checked by hand. */
export function OpenedGap({ page, goal, ...drawer }: OpenedGapProps) {
  const { period } = useView();
  const saw = page.channels.reduce((sum, one) => sum + one.seen, 0);
  const then = page.channels.reduce((sum, one) => sum + one.converting, 0);
  const rate = saw ? then / saw : 0;
  const percent = (share: number) => `${figure(share, "percent")} %`;
  return (
    <Sheet
      open
      above="Opened up"
      title="Points between those who saw it and others"
      below={`${page.page}, ${periodWords(period)}`}
      {...drawer}
    >
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {gap(page.difference ?? 0)}
      </p>
      <p>Between {gapBetween(page)} points, as far as chance goes (95 %; both Wilson intervals together).</p>
      {page.few && (
        <p className="my-2 border-l-2 border-buff px-2.5 py-1.5">
          <b>few</b>: fewer than ten visits on one of the sides, or fewer than five that converted on both, too few to say anything.
        </p>
      )}
      <Title className={HEAD}>What it is</Title>
      <p>
        The rate of visits that saw the page before they reached {goal.name}, less that of visits that did not see it and came by the same
        channels in the same proportions. Channels in which all saw it, or none, are left out.
      </p>
      <p className="my-1.5 font-serif text-note" data-numbers>
        = {figure(then, "count")} ÷ {figure(saw, "count")} − ({standardised(page)}) = {percent(rate)} − {percent(page.without ?? 0)} ={" "}
        {gap(page.difference ?? 0)} points
      </p>
      <Title className={HEAD}>Channel by channel</Title>
      <table className="w-full text-end">
        <thead className="text-label text-ink-2">
          <tr className="border-b border-ink">
            <th scope="col" className="text-start font-normal">
              Channel
            </th>
            {["Saw it", "Rate, %", "Did not", "Rate, %"].map((head, place) => (
              <th key={place} scope="col" className="font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {page.channels.map((one) => (
            <tr key={one.channel} className="border-b border-hairline">
              <th scope="row" className="max-w-40 truncate text-start font-normal">
                {valueWords("channel", one.channel) || "none"}
              </th>
              <td>{figure(one.seen, "count")}</td>
              <td>{figure(one.converting / one.seen, "percent")}</td>
              <td>{figure(one.others, "count")}</td>
              <td>{figure(one.others_converting / one.others, "percent")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-3 grid justify-items-start gap-1.5">
        <VisitsBehind className={WAY} places={[]} whole={seenPart(page.page, goal)} />
        <ComparedWithRest className={WAY} places={[]} whole={seenPart(page.page, goal)} />
      </p>
    </Sheet>
  );
}
