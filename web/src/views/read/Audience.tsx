import { useQuery } from "@tanstack/react-query";

import type { Row } from "@/api/client";
import { tableQuery, type Asked } from "@/api/queries";
import { Countries } from "@/views/read/Countries";
import { Hours } from "@/views/read/Hours";
import { LedgerView } from "@/views/read/LedgerView";
import { audienceLedgers } from "@/views/read/ledgers/audience";
import { NamedValue } from "@/views/shared/NamedValue";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { ViewError } from "@/ui/states";
import { Answer } from "@/ui/text";
import { shareWords } from "@/words/format";

/** Who visits: whether they know the site, from where and with what they come, and when. */
export function Audience() {
  return (
    <LedgerView ledgers={audienceLedgers} lead={(asked) => <AudienceAnswer asked={asked} />} more={(asked) => <More asked={asked} />} />
  );
}

const More = ({ asked }: { asked: Asked }) => (
  <>
    <Countries asked={asked} />
    <Hours asked={asked} />
  </>
);

/** What is expected of visits of people who know the site, against new ones. */
const EXPECTED = [
  { measure: "bounce_rate", words: "bounce", more: false },
  { measure: "conversion_rate", words: "reach the goal", more: true },
];

function AudienceAnswer({ asked }: { asked: Asked }) {
  const { site } = useSite();
  const { goal, live } = useView();
  const expected = EXPECTED.filter((one) => goal || one.measure !== "conversion_rate");
  const measures = ["visits", ...expected.map((one) => one.measure)];
  const found = useQuery(tableQuery(site.key, { ...asked, versus: "none", dimensions: ["visitor_kind"], measures, limit: 10 }, { live }));
  if (found.isError) return <ViewError error={found.error} again={() => void found.refetch()} />;
  if (!found.data) return <Answer aria-busy="true"> </Answer>;
  const { rows, total } = found.data;
  const of = (value: string) => rows.find((row) => row.keys[0] === value);
  const [fresh, known] = [of("new"), of("returning")];
  if (!fresh || !known) return <Answer>{rows.length ? "All visits of these days are of one kind." : "No visits in these days."}</Answer>;
  return (
    <Answer>
      {shareWords((known.values["visits"] ?? 0) / (total.values["visits"] || 1))} of the visits are by{" "}
      <NamedValue dimension="visitor_kind" value="returning" words="returning" /> people.{" "}
      {expected.map(({ measure, words, more }) => (
        <span key={measure}>
          They {words} {verdict(known, fresh, measure, more)}{" "}
        </span>
      ))}
    </Answer>
  );
}

/** Whether what is expected holds: only where the intervals of the two do not touch. */
function verdict(known: Row, fresh: Row, measure: string, more: boolean): string {
  const [theirs, others] = [known.interval[measure], fresh.interval[measure]];
  const against = `${shareWords(known.values[measure] ?? 0)} against ${shareWords(fresh.values[measure] ?? 0)}`;
  if (!theirs || !others || (theirs.low <= others.high && others.low <= theirs.high))
    return `about as often, as far as can be told: ${against}.`;
  const isMore = theirs.low > others.high;
  return `${isMore ? "more" : "less"} often, ${isMore === more ? "as one expects" : "against what one expects"}: ${against}.`;
}
