import { figure } from "@/words/format";

/** Values in a row, each with how often it was there. */
export function Tallied({ values }: { values: { value: string; times: number }[] }) {
  return values.map((one) => (
    <span key={one.value} className="tallied">
      {one.value || "nothing"} <i>{figure(one.times, "count")}</i>
    </span>
  ));
}
