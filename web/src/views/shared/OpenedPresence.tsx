import { figure } from "@/words/format";

const MEANING: Record<string, string> = {
  page: "Visitors with a hit in the last half hour who saw this page last; everyone stands at one page.",
  source: "Visitors with a hit in the last half hour whose latest visit came from here.",
  event: "Visitors who did this in the last half hour.",
};

/** How many were there in the last half hour, as it was when it was opened. */
export function OpenedPresence({ count, of }: { count: number; of: { dimension: string; value: string } | undefined }) {
  return (
    <>
      <p className="mt-3 text-[34px] leading-10 font-semibold" data-figure>
        {figure(count, "count")}
      </p>
      <h3 className="mt-[18px] border-t border-hairline pt-2.5 font-serif text-title font-[560]">What it is</h3>
      <p>
        {MEANING[of?.dimension ?? ""]} It was so when it was opened, and moves on by itself in the list. Below stands all of today that has
        it; robots and own traffic are left out.
      </p>
    </>
  );
}
