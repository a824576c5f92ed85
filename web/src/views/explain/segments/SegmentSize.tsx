import type { Schemas, Segment } from "@/api/client";
import { TimeChart } from "@/charts/TimeChart";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Title } from "@/ui/text";
import { figure, periodWords, plural, shareWords } from "@/words/format";
import { conditionWords } from "@/words/segments";

type Size = Schemas["SegmentSizeResult"];

interface SegmentSizeProps {
  segment: Segment;
  size: Size;
  isStale: boolean;
}

/** How many a segment holds, their course, what each condition leaves, and which of them matters. */
export function SegmentSize({ segment, size, isStale }: SegmentSizeProps) {
  const { registry, segments } = useSite();
  const { period } = useView();
  const { held, all, conditions } = size;
  const [own, total] = [held[segment.of], all[segment.of]];
  const noun = segment.of === "people" ? "people" : "visits";
  const words = segment.where.conditions.map((one) => conditionWords(one, segment.of, { registry, segments }));
  const isDenied = segment.where.of === "none";
  return (
    <aside
      aria-label="What the segment holds"
      aria-busy={isStale}
      className="held grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-3 min-[1000px]:border-l min-[1000px]:border-hairline min-[1000px]:pl-6"
    >
      <div role="status">
        <p className="text-[22px] leading-7 font-semibold" data-held>
          {noun === "people" && own === 1 ? "1 person" : `${figure(own, "count")} ${own === 1 ? "visit" : noun}`}
        </p>
        <p className="text-ink-2">
          {total > 0 ? `${shareWords(own / total)} of ${figure(total, "count")}` : "Nobody was here"}, {periodWords(period)};{" "}
          {segment.of === "people"
            ? plural(held.visits, "visit")
            : `${figure(held.people, "count")} ${held.people === 1 ? "person" : "people"}`}
        </p>
      </div>
      <TimeChart
        title={`The segment's ${noun} by ${size.bucket}`}
        unit="count"
        bucket={size.bucket}
        points={size.at.map((at, place) => ({ at, now: size.course[place] ?? 0, before: null }))}
        versus={null}
        height={150}
      />
      {conditions.length > 0 && (
        <section aria-label="What each condition leaves">
          <Title>{segment.where.of === "any" ? "What each condition adds" : "What each condition leaves"}</Title>
          <ol>
            <Left words="everybody" left={total} of={total} />
            {conditions.map((one, place) => (
              <Left key={place} words={`${isDenied ? "not: " : ""}${words[place] ?? ""}`} left={one.left} of={total} />
            ))}
          </ol>
          <p className="pt-2 text-ink-2">{mattersWords(size, words, noun, segment)}</p>
        </section>
      )}
    </aside>
  );
}

const BAR = 130;

function Left({ words, left, of }: { words: string; left: number; of: number }) {
  const end = of > 0 ? Math.max(Math.round((left / of) * BAR), left > 0 ? 1 : 0) : 0;
  return (
    <li className="flex items-center gap-3 border-b border-hairline py-1">
      <span className="min-w-0 flex-1 truncate text-ink-2" title={words}>
        {words}
      </span>
      <svg width={BAR + 2} height="12" aria-hidden="true" className="shrink-0">
        <path className="stroke-hairline-firm" d={`M0 6.5H${BAR}`} />
        <rect className="fill-sea-2" x="0" y="2" width={end} height="9" />
        <rect className="fill-teal" x={end} y="0" width="2" height="12" />
      </svg>
      <span className="w-14 text-right tabular-nums">{figure(left, "count")}</span>
    </li>
  );
}

/** Which condition matters most: the one without which most others would be in, or by which most are. */
function mattersWords({ held, conditions }: Size, words: readonly string[], noun: string, { of, where }: Segment): string {
  const own = held[of];
  const gaps = conditions.map((one) => Math.abs(one.without - own));
  const most = gaps.indexOf(Math.max(...gaps));
  const gap = gaps[most] ?? 0;
  if (conditions.length < 2) return "";
  if (gap === 0) return "Taken away alone, none of the conditions changes anything.";
  const others = gaps.filter((one, place) => place !== most && one > gap * 0.1).length;
  const said =
    where.of === "any"
      ? `${figure(gap, "count")} ${noun} are in by it alone`
      : `taken away alone it lets ${figure(gap, "count")} more ${noun} in`;
  return `What matters most is “${words[most] ?? ""}”: ${said}${others ? "." : "; the rest hardly matters."}`;
}
