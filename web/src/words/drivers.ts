import type { Schemas } from "@/api/client";
import { figure, shareWords } from "@/words/format";

export type PageDriver = Schemas["PageDriver"];

/** A channel with its figures. */
export interface ChannelDriver {
  channel: string;
  visitors: number;
  visits: number;
  conversions: number;
  /** Null of no visits; `low`: from where on, as far as chance goes. */
  rate: number | null;
  low: number | null;
  isFew: boolean;
  first: number;
  linear: number;
  last: number;
  value: number;
}

/** The channels of a table by row. */
export function channelsOf(table: Schemas["TableResult"]): ChannelDriver[] {
  const column = (id: string) => table.columns.find((one) => one.id === id);
  return table.rows.map(([channel = ""], place) => {
    const of = (id: string) => column(id)?.values[place] ?? 0;
    const rate = column("conversion_rate");
    return {
      channel,
      visitors: of("visitors"),
      visits: of("visits"),
      conversions: of("conversions"),
      rate: rate?.values[place] ?? null,
      low: rate?.low?.[place] ?? null,
      isFew: rate?.few?.[place] ?? true,
      first: of("first"),
      linear: of("linear"),
      last: of("last"),
      value: of("value"),
    };
  });
}

const ON_THE_WAY = 0.8;

/** Whether nearly all who convert saw a page before, or nearly all who saw it convert: it is a step of the way itself, and no wonder that they do. */
export const isOnTheWay = (page: Pick<PageDriver, "converting" | "rate">, converting: number): boolean =>
  converting > 0 && (page.converting / converting >= ON_THE_WAY || page.rate >= ON_THE_WAY);

/** What is said of channels: to which most is owed, and whose visits convert most beyond chance. */
export function channelSaid(channels: readonly ChannelDriver[], total: number, rateOfAll: number | null) {
  const most = [...channels].sort((a, b) => b.linear - a.linear)[0];
  if (!most || total <= 0) return null;
  const above = channels.filter((one) => !one.isFew && one.low !== null && rateOfAll !== null && one.low > rateOfAll);
  return { most, share: shareWords(most.linear / total), best: above.sort((a, b) => (b.rate ?? 0) - (a.rate ?? 0))[0] ?? null };
}

/** The page after which most more convert than do without it, beyond chance, and which is no step of the way itself. */
export function pageSaid(pages: readonly PageDriver[], converting: number): PageDriver | null {
  const more = (one: PageDriver) => (one.difference ?? 0) * one.seen;
  const sure = pages.filter((one) => !one.few && (one.low ?? 0) > 0 && !isOnTheWay(one, converting));
  return [...sure].sort((a, b) => more(b) - more(a))[0] ?? null;
}

/** A difference of two shares in points, with its sign. */
export const gap = (difference: number): string =>
  `${difference < 0 ? "−" : "+"}${Math.abs(100 * difference).toFixed(Math.abs(difference) < 0.0995 ? 1 : 0)}`;

/** Between what a difference lies: `+2.0 to +6.3`. */
export const gapBetween = ({ low, high }: Pick<PageDriver, "low" | "high">): string =>
  low == null || high == null ? "" : `${gap(low)} to ${gap(high)}`;

const MAX_PARTS = 3;

/** The standardised rate with its numbers put in, channel by channel; of many the first ones. */
export const standardised = (page: PageDriver): string => {
  const whole = page.channels.reduce((sum, one) => sum + one.seen, 0);
  const parts = page.channels
    .slice(0, MAX_PARTS)
    .map(
      (one) =>
        `${figure(one.seen, "count")} ÷ ${figure(whole, "count")} × ${figure(one.others_converting, "count")} ÷ ${figure(one.others, "count")}`,
    )
    .join(" + ");
  return page.channels.length > MAX_PARTS ? `${parts} + …` : parts;
};
