import { figure } from "@/words/format";

/** Values in a row, each with how often it was there. */
export function Tallied({ values }: { values: { value: string; times: number }[] }) {
  return values.map((one) => (
    <span key={one.value} className="mr-2.5 inline-block wrap-anywhere">
      {one.value || "nothing"} <span className="whitespace-nowrap text-ink-2">{figure(one.times, "count")}</span>
    </span>
  ));
}
