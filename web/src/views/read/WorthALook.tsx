import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client } from "@/api/client";
import { useSave } from "@/api/useSave";
import { PairMark } from "@/charts/PairMark";
import { Sparkline } from "@/charts/Sparkline";
import { elsewhere, narrowed, type ViewSearch } from "@/state/address";
import { can } from "@/state/can";
import { HOME, type ViewPath } from "@/state/paths";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Cross } from "@/ui/icons";
import { ErrorState, Skeleton } from "@/ui/states";
import { Title } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { useLogbook } from "@/views/logbook/LogbookProvider";
import { Letter } from "@/views/read/Letter";
import type { useInsights } from "@/views/read/useInsights";
import { daysIn } from "@/state/days";
import { chartWords, insightText, insightWords, type Insight, type InsightNaming } from "@/words/insights";
import { plural } from "@/words/format";

const AT_FIRST = 3;
const MIN_WINDOWS = 4;

/** What stands out, in sentences: each with its numbers, its small chart, and the way to the view that proves it. */
export function WorthALook({ found }: { found: ReturnType<typeof useInsights>["found"] }) {
  const { site, registry } = useSite();
  const { period, goal } = useView();
  const [isWhole, setWhole] = useState(false);
  const { data } = found;
  const insights = data?.insights ?? [];
  const shown = isWhole ? insights : insights.slice(0, AT_FIRST);
  const naming: InsightNaming = { registry, goal: goal?.name, windows: data?.windows ?? 0 };
  const days = daysIn(period.first, period.last);
  const when = days === 1 ? "on this day" : `in these ${days} days`;
  return (
    <aside
      aria-label="Worth a look"
      aria-busy={found.isPending}
      className="grid min-w-0 content-start min-[1180px]:border-l min-[1180px]:border-hairline min-[1180px]:pl-7"
    >
      <Title>Worth a look</Title>
      {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
      {found.isPending && [0, 1, 2].map((place) => <Skeleton key={place} className="my-2 h-16" />)}
      {data && insights.length === 0 && <p className="font-serif text-note text-ink-2">Nothing unusual {when}.</p>}
      <ol>
        {shown.map((insight, place) => (
          <Item key={insight.key} insight={insight} letter={"abcdefg".charAt(place)} naming={naming} site={site.key} />
        ))}
      </ol>
      {insights.length > AT_FIRST && (
        <p>
          <Button kind="link" className="text-label" aria-expanded={isWhole} onClick={() => setWhole(!isWhole)}>
            {isWhole ? "Fewer" : `${insights.length - AT_FIRST} more`}
          </Button>
        </p>
      )}
      {data && data.windows < MIN_WINDOWS && (
        <p className="pt-1 text-label text-ink-2">
          What grew or fell is told with four earlier periods as long; there {data.windows === 1 ? "is" : "are"}{" "}
          {plural(data.windows, "period")}.
        </p>
      )}
    </aside>
  );
}

interface ItemProps {
  insight: Insight;
  letter: string;
  naming: InsightNaming;
  site: string;
}

function Item({ insight, letter, naming, site }: ItemProps) {
  const { site: stored } = useSite();
  const { period } = useView();
  const { write } = useLogbook();
  const canEdit = can(stored, "edit");
  const text = insightText(insight, naming);
  const path = { params: { path: { site } } };
  const again = useSave("insights", (dismissal: number) =>
    ask(client.DELETE("/api/v1/sites/{site}/insights/dismissed/{dismissal}", { params: { path: { site, dismissal } } })),
  );
  const dismiss = useSave(
    "insights",
    () => ask(client.POST("/api/v1/sites/{site}/insights/dismissed", { ...path, body: { key: insight.key, last: period.last } })),
    ({ id }) => notify("It is told no more for four weeks.", () => again.mutate(id)),
  );
  return (
    <li
      className="group relative border-b border-hairline py-2.5 last:border-b-0"
      onKeyDown={(event) => {
        if (event.key !== "n" || event.ctrlKey || event.metaKey || event.altKey || !canEdit) return;
        event.preventDefault();
        event.stopPropagation();
        write(text);
      }}
    >
      <Letter
        letter={letter}
        className="mr-1.5 min-[1180px]:absolute min-[1180px]:top-3 min-[1180px]:-left-[36.5px] min-[1180px]:bg-sheet"
      />
      <p className="font-serif text-note max-[1179px]:inline">
        {insightWords(insight, naming).map((piece, place) =>
          piece.stressed ? (
            <Proof key={place} insight={insight} text={piece.text} />
          ) : (
            <span key={place} className="wrap-anywhere">
              {piece.text}
            </span>
          ),
        )}
      </p>
      <p className="relative flex min-h-6 items-center gap-2 text-small text-ink-2">
        <Mark insight={insight} />
        <span>{chartWords(insight)}</span>
        {canEdit && (
          <span className="absolute right-0 flex items-center gap-1 bg-sheet pl-2 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 pointer-coarse:opacity-100">
            <Button
              kind="quiet"
              className="text-small"
              aria-label={`Note in the logbook: ${text}`}
              title="Note (n)"
              onClick={() => write(text)}
            >
              Note
            </Button>
            <Button
              kind="icon"
              aria-label={`Dismiss: ${text}`}
              title="Dismiss"
              disabled={dismiss.isPending}
              onClick={() => dismiss.mutate(undefined)}
            >
              <Cross />
            </Button>
          </span>
        )}
      </p>
    </li>
  );
}

function Mark({ insight }: { insight: Insight }) {
  const { kind, a, a_of: of, b, b_of: bOf, course } = insight;
  if (course.length) return <Sparkline values={course} width={80} height={18} />;
  if (kind === "seldom entered") return <PairMark now={a / Math.max(of, 1)} against={1} />;
  const against = kind === "weak landing" ? (b ?? 0) / Math.max(of, 1) : (b ?? 0) / Math.max(bOf ?? 1, 1);
  return <PairMark now={a / Math.max(of, 1)} against={against} />;
}

/** Where it is proved: in Compare by its dimension, in Pages, or in what its visits did. */
function Proof({ insight, text }: { insight: Insight; text: string }) {
  const { site } = useSite();
  const { goal } = useView();
  const { kind, dimension, value } = insight;
  const moves = ["grew", "fell", "stopped", "new"].includes(kind);
  if (moves && !dimension) return <span className="text-teal">{text}</span>;
  const to: ViewPath = kind === "converters" ? "/s/$site/explain/compare" : moves ? HOME : "/s/$site/read/pages";
  const search = (now: ViewSearch): ViewSearch =>
    kind === "converters"
      ? { ...elsewhere(now), group: `goal:${goal?.id}`, against: undefined, by: dimension, units: undefined }
      : moves
        ? narrowed(elsewhere(now), dimension, value, "only")
        : elsewhere(now);
  return (
    <Link to={to} params={{ site: site.key }} search={search} className="text-teal decoration-1 underline-offset-3 hover:underline">
      {text}
    </Link>
  );
}
