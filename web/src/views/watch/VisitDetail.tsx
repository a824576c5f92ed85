import { Part } from "@/ui/layout";
import { useQuery } from "@tanstack/react-query";
import { useNavigate, useParams } from "@tanstack/react-router";
import { clsx } from "clsx";

import type { Schemas, HitRecord, VisitRecord } from "@/api/client";
import { visitDetailQuery } from "@/api/queries";
import { Details, Flags, Glyph, hitWords } from "@/views/shared/HitWords";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { EmptyNote, ViewError } from "@/ui/states";
import { SegmentBegun } from "@/views/shared/Behind";
import { wayOf } from "@/views/watch/wayOf";
import { VisitLink } from "@/views/shared/VisitLink";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { VisitorRights } from "@/views/shared/VisitorRights";
import { Answer } from "@/ui/text";
import { amount, duration, figure, moment, plural, valueWords } from "@/words/format";
import { withStays, type ListedHit } from "@/words/stays";

const QUIET = "whitespace-nowrap text-label text-ink-2";
const ADDRESS = "block text-label text-ink-2 wrap-anywhere";

type Detail = Schemas["VisitDetail"];

/** One visit opened: what happened in order, why it came from where it did, and the visitor's other visits. */
export function VisitDetail() {
  const { site, ready } = useSite();
  const { goal } = useView();
  const { visitor, number } = useParams({ from: "/s/$site/watch/visits/$visitor/$number" });
  const detail = useQuery({ ...visitDetailQuery(site.key, visitor, Number(number), goal?.id ?? null), enabled: ready });
  if (detail.error && [404, 422].includes(detail.error.status)) {
    return (
      <div className="grid max-w-[1800px] gap-3">
        <Answer>There is no such visit.</Answer>
        <EmptyNote>It may have been forgotten at its visitor’s wish, or its hits were kept as long as the site keeps them.</EmptyNote>
      </div>
    );
  }
  if (detail.isError) return <ViewError error={detail.error} again={() => void detail.refetch()} />;
  if (!detail.data) return <LedgerSkeleton />;
  return <Visit detail={detail.data} />;
}

function Visit({ detail }: { detail: Detail }) {
  const { site } = useSite();
  const { goal } = useView();
  const { visit, hits } = detail;
  const listed = withStays(hits);
  const way = wayOf(hits);
  const navigate = useNavigate();
  const from = [visit.source, visit.medium, visit.campaign].filter(Boolean).join(" / ");
  return (
    <div className="grid max-w-[1500px] grid-cols-[minmax(0,1fr)] gap-x-9 gap-y-3 min-[900px]:grid-cols-[minmax(0,1fr)_320px]">
      <Answer>
        {visit.number === 1 ? "A new visitor" : `Visit ${visit.number} of a visitor`} came by {visit.channel}: {plural(visit.views, "view")}
        , {duration(visit.engaged)} of looking.
        {goal && visit.conversions > 0 ? ` ${goal.name}: ${figure(visit.conversions, "count")}.` : ""}
      </Answer>
      <Part isWide title="What happened" aria-label="What happened">
        <ol aria-label="Hits">
          {listed.map(({ hit, stayed }, i) => (
            <Happening key={hit.seq} hit={hit} stayed={stayed} before={listed[i - 1]?.hit} worth={detail.conversions[hit.seq]} />
          ))}
        </ol>
        {way && (
          <p>
            <SegmentBegun className="text-teal underline-offset-3 hover:underline" site={site.key} draft={way}>
              Make a segment of this way
            </SegmentBegun>
          </p>
        )}
        {detail.hits_left_out > 0 && <p className="text-ink-2">{plural(detail.hits_left_out, "hit")} more are not listed.</p>}
      </Part>
      <aside className="grid min-w-0 content-start gap-[18px]">
        <Part isWide title={`Why ${visit.channel}?`} aria-label="Why">
          <Why why={detail.why} />
        </Part>
        <Part isWide title="The visit">
          <dl>
            <Fact name="Began" value={moment(visit.start, site.timezone)} />
            <Fact name="Lasted" value={duration(visit.duration)} />
            <Fact name="From" value={from} />
            <Fact name="Content" value={visit.content} />
            <Fact name="Term" value={visit.term} />
            <Fact name="Link label" value={visit.label} />
            <Fact name="Device" value={[visit.device, visit.browser, visit.system].filter(Boolean).join(", ")} />
            <Fact name="Language" value={visit.language && valueWords("language", visit.language)} />
            <Fact name="Country" value={visit.country && valueWords("country", visit.country)} />
            <Fact name="Visitor" value={visit.visitor} />
          </dl>
          {visit.excluded && (
            <p className="text-label text-rust">This visit is left out of the reports: it is a robot’s, or the site’s own people’s.</p>
          )}
        </Part>
        {can(site, "own") && (
          <VisitorRights
            visitor={visit.visitor}
            onForgotten={() => void navigate({ to: "/s/$site/watch/visits", params: { site: site.key }, search: true })}
          />
        )}
        <Part isWide title="Other visits">
          {detail.others.length === 0 && <p className="text-ink-2">None that is known.</p>}
          <ul>
            {detail.others.map((other) => (
              <Other key={other.number} visit={other} />
            ))}
          </ul>
        </Part>
      </aside>
    </div>
  );
}

interface HappeningProps extends ListedHit {
  before: HitRecord | undefined;
  worth: number | undefined;
}

function Happening({ hit, stayed, before, worth }: HappeningProps) {
  const { site } = useSite();
  const { goal } = useView();
  const gap = before ? hit.at - before.at : 0;
  return (
    <li
      className={clsx(
        "grid grid-cols-[66px_84px_18px_minmax(0,1fr)] border-b border-hairline py-[5px]",
        worth !== undefined && "-ml-2.5 border-l-2 border-l-magenta pl-2",
      )}
    >
      <time className={QUIET} dateTime={new Date(hit.at).toISOString()}>
        {moment(hit.at, site.timezone, false)}
      </time>
      <span className={QUIET}>{gap >= 1000 ? `+${duration(gap)}` : ""}</span>
      <Glyph kind={hit.kind} className="mt-[5px]" />
      <div>
        {hitWords(hit, site.currency)} <Flags internal={hit.internal} robot={hit.robot} />
        {worth !== undefined && goal && (
          <span className="ml-2 font-semibold text-magenta">
            {goal.name}
            {worth !== 0 && `, ${amount(worth, site.currency)}`}
          </span>
        )}
        {hit.kind === "view" && <span className={ADDRESS}>{hit.url}</span>}
        {hit.kind === "view" && fromElsewhere(hit) && <span className={ADDRESS}>from {hit.referrer}</span>}
        <Details hit={hit} stayed={stayed} currency={site.currency} className="block wrap-anywhere" />
      </div>
    </li>
  );
}

/** Whether the page that led here lies on another host. */
const fromElsewhere = (hit: HitRecord): boolean => hit.referrer !== "" && hit.referrer.split("/")[2] !== hit.url.split("/")[2];

const EVIDENCE: Record<Detail["why"]["evidence"], string> = {
  tags: "Campaign tags stand in the address of the first page",
  "click id": "A click id stands in the address of the first page",
  label: "A link label stands in the address of the first page",
  referrer: "No tags; the browser named the page that led here",
  none: "The first page has no tags, no label, and no referrer from elsewhere",
};

function Why({ why }: { why: Detail["why"] }) {
  return (
    <ol className="list-decimal pl-5 [&>li]:py-0.5 [&>li]:wrap-anywhere">
      <li>
        {EVIDENCE[why.evidence]}
        {why.key && (
          <>
            {" "}
            (<code>{why.key}</code>)
          </>
        )}
        .
      </li>
      {why.spellings.map((one) => (
        <li key={one.field}>
          {one.field}: <code>{one.given}</code>
          {one.tidied !== one.given && (
            <>
              , tidied <code>{one.tidied}</code>
            </>
          )}
          {one.used !== one.tidied && (
            <>
              , by an alias <code>{one.used}</code>
            </>
          )}
        </li>
      ))}
      {why.kind && <li>The source is of the kind {why.kind}.</li>}
      <li>
        {why.rule === null ? (
          <>
            No channel rule fits, so it is <b>{why.channel}</b>.
          </>
        ) : (
          <>
            Channel rule {why.rule} is the first that fits: <b>{why.channel}</b>.
          </>
        )}
      </li>
    </ol>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  if (!value) return null;
  return (
    <div className="grid grid-cols-[84px_minmax(0,1fr)] gap-2.5 border-b border-hairline py-0.5">
      <dt className="text-ink-2">{name}</dt>
      <dd className="wrap-anywhere">{value}</dd>
    </div>
  );
}

function Other({ visit }: { visit: VisitRecord }) {
  const { site } = useSite();
  const { goal } = useView();
  return (
    <li className="py-[3px]">
      <VisitLink visitor={visit.visitor} number={visit.number}>
        {moment(visit.start, site.timezone)}
      </VisitLink>{" "}
      <span className="text-ink-2">
        {visit.channel}, {plural(visit.views, "view")}
        {goal && visit.conversions > 0 ? `, ${goal.name}: ${visit.conversions}` : ""}
      </span>
    </li>
  );
}
