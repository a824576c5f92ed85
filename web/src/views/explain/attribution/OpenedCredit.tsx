import { useQuery } from "@tanstack/react-query";

import { api, type Schemas } from "@/api/client";
import { CreditMadeOf } from "@/views/explain/attribution/CreditMadeOf";
import { VisitLink } from "@/views/shared/VisitLink";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Sheet } from "@/ui/Dialog";
import { ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { credit, modelLabel, modelName, MODELS, points, reachWords } from "@/words/attribution";
import { figure, moment, periodWords, plural, valueWords } from "@/words/format";

const FEW_TOUCHES = 30;

interface OpenedCreditProps {
  column: Schemas["Column"];
  /** The row: its dimensions, and its value of each. */
  path: readonly { dimension: string; value: string }[];
  /** The dimension of the table. */
  by: string;
  /** What stands in the table, and what the whole column is. */
  credit: number;
  of: number;
  /** The share that its own is held against, and what that is called. */
  against: number | null;
  heldAgainst: string;
  removal?: { touches: number; effect: number };
  interval?: { low: number; high: number };
  /** Whether it is its part of what the row above has, by this model. */
  isShared: boolean;
  onClose: () => void;
  onCloseAutoFocus: (event: Event) => void;
}

/** Behind a credit: what its model is, and the conversions that it is made of, each with its touches and what they weigh. */
export function OpenedCredit({
  column,
  path,
  by,
  credit: shown,
  of,
  against,
  heldAgainst,
  removal,
  interval,
  isShared,
  ...drawer
}: OpenedCreditProps) {
  const { site } = useSite();
  const { period, segment, goal } = useView();
  const asked = useQuery(
    api.queryOptions("post", "/api/v1/sites/{site}/reports/credited", {
      params: { path: { site: site.key } },
      body: {
        period,
        segment,
        goal: goal?.id ?? null,
        column,
        dimensions: path.length ? path.map((one) => one.dimension) : [by],
        values: path.map((one) => one.value),
        limit: 20,
      },
    }),
  );
  const model = column.model ?? "linear";
  const words = path.map((one) => valueWords(one.dimension, one.value) || "unattributed").join(", ") || "all";
  return (
    <Sheet
      open
      above="Opened up"
      title={`${modelLabel(model)}: ${column.measure === "value" ? "value" : "credit"}`}
      below={`${words}, ${periodWords(period)}`}
      {...drawer}
    >
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {credit(shown)}
      </p>
      <Title className="mt-[18px] border-t border-hairline pt-2.5">What it is</Title>
      <p>
        {MODELS.find((one) => one.value === modelName(model))?.meaning} Touches are looked for over {reachWords(column.reach ?? 30)}
        {column.reach === "own visit" ? "" : " before the conversion"}.{" "}
        {model === "removal effect"
          ? "It is of all ways together; below are the conversions that have a touch of it."
          : `Each conversion below gives the share that stands beside it${column.measure === "value" ? " of its worth" : ""}; all of them together are ${
              isShared ? "its part, in proportion, of what the row above it is credited" : "this credit"
            }.`}
      </p>
      {path.length > 0 && of > 0 && (
        <p className="my-1.5 font-serif text-note" data-numbers>
          Of its column {credit(shown)} ÷ {credit(of)} = {figure(shown / of, "percent")} %
          {against !== null && `, ${points(shown / of, against)} points against ${figure(against, "percent")} % ${heldAgainst}`}
        </p>
      )}
      {removal && (
        <p className="my-1.5 font-serif text-note">
          Without it {figure(removal.effect, "percent")} % less would convert. That rests on{" "}
          {plural(Math.round(removal.touches), "touch", "touches")}
          {removal.touches < FEW_TOUCHES && ": too few to say anything"}.
        </p>
      )}
      {interval && (
        <p>
          Its share lies between {figure(interval.low, "percent")} and {figure(interval.high, "percent")} %, as far as chance goes (95 %,
          visitors drawn anew two hundred times).
        </p>
      )}
      <CreditMadeOf column={column} path={path} credit={shown} isShared={isShared} />
      <Title className="mt-[18px] border-t border-hairline pt-2.5">The conversions behind it</Title>
      {asked.isError ? (
        <ErrorState error={asked.error} again={() => void asked.refetch()} />
      ) : asked.data ? (
        <Conversions found={asked.data} dimension={path[0]?.dimension ?? by} isWeighed={model !== "removal effect"} />
      ) : (
        <LedgerSkeleton rows={4} />
      )}
    </Sheet>
  );
}

function Conversions({ found, dimension, isWeighed }: { found: Schemas["CreditedResult"]; dimension: string; isWeighed: boolean }) {
  const { site } = useSite();
  const { conversions, count } = found;
  const at = (ms: number) => moment(ms, site.rules.timezone).replace(/:\d\d$/, "");
  return (
    <>
      <p className="text-ink-2">
        {plural(count, "conversion")}
        {count > conversions.length && `, the ${conversions.length} newest here`}.
      </p>
      <ol className="grid" aria-label="Conversions">
        {conversions.map((one) => (
          <li key={`${one.visitor} ${one.at}`} className="border-b border-hairline py-1.5">
            <p className="flex items-baseline justify-between gap-3">
              <VisitLink visitor={one.visitor} number={one.number}>
                {at(one.at)}
              </VisitLink>
              <span className="text-ink-2">
                {one.worth ? `worth ${figure(one.worth, "money")}${isWeighed ? ", " : ""}` : ""}
                {isWeighed && <b className="font-semibold text-ink">{figure(one.credit, "percent")} %</b>}
              </span>
            </p>
            <ul className="grid text-label text-ink-2" aria-label="Touches">
              {one.told.map((touch, place) => (
                <li key={place} className="flex justify-between gap-3">
                  <span className="min-w-0 truncate">
                    {at(touch.at)}{" "}
                    <span className={touch.own ? "font-semibold text-ink" : "text-ink"}>
                      {valueWords(dimension, touch.value) || "none"}
                    </span>
                  </span>
                  {isWeighed && <span>{figure(touch.weight, "percent")}</span>}
                </li>
              ))}
              {one.touches > one.told.length && <li>and {figure(one.touches - one.told.length, "count")} touches between</li>}
              {one.touches === 0 && <li>no touch in reach</li>}
            </ul>
          </li>
        ))}
      </ol>
    </>
  );
}
