import { useQuery } from "@tanstack/react-query";
import { useParams } from "@tanstack/react-router";

import { ApiError, type Schemas, type HitRecord, type VisitRecord } from "@/api/client";
import { visitDetailQuery } from "@/app/queries";
import { Details, Flags, Glyph, hitWords } from "@/pieces/HitWords";
import { LedgerToCome } from "@/pieces/Ledger";
import { ErrorState } from "@/pieces/ErrorState";
import { VisitLink } from "@/pieces/VisitLink";
import { useView } from "@/state/view";
import { amount, duration, figure, moment, plural, valueWords } from "@/words/format";

type Detail = Schemas["VisitDetail"];

/** One visit opened: what happened in order, why it came from where it did, and the visitor's other visits. */
export function VisitDetail() {
  const { site, goal, ready } = useView();
  const { visitor = "", number = "" }: { visitor?: string; number?: string } = useParams({ strict: false });
  const detail = useQuery({ ...visitDetailQuery(site.key, visitor, Number(number), goal?.id ?? null), enabled: ready });
  if (detail.error instanceof ApiError && [404, 422].includes(detail.error.problem.status)) {
    return (
      <div className="visits">
        <h1 className="answer">There is no such visit.</h1>
        <p className="empty">It may have been forgotten at its visitor’s wish, or its hits were kept as long as the site keeps them.</p>
      </div>
    );
  }
  if (detail.isError) return <ErrorState error={detail.error} again={() => void detail.refetch()} />;
  if (!detail.data) return <LedgerToCome />;
  return <Visit detail={detail.data} />;
}

function Visit({ detail }: { detail: Detail }) {
  const { site, goal } = useView();
  const { visit, hits } = detail;
  const from = [visit.source, visit.medium, visit.campaign].filter(Boolean).join(" / ");
  return (
    <div className="visit-detail">
      <h1 className="answer">
        {visit.number === 1 ? "A new visitor" : `Visit ${visit.number} of a visitor`} came by {visit.channel}: {plural(visit.views, "view")}
        , {duration(visit.engaged)} of looking.
        {goal && visit.conversions > 0 ? ` ${goal.name}: ${figure(visit.conversions, "count")}.` : ""}
      </h1>
      <section aria-label="What happened">
        <h2 className="title">What happened</h2>
        <ol className="happened">
          {hits.map((hit, i) => (
            <Happening key={hit.seq} hit={hit} before={hits[i - 1]} worth={detail.conversions[hit.seq]} />
          ))}
        </ol>
        {detail.hits_left_out > 0 && <p className="quiet">{plural(detail.hits_left_out, "hit")} more are not listed.</p>}
      </section>
      <aside>
        <section aria-label="Why">
          <h2 className="title">Why {visit.channel}?</h2>
          <Why why={detail.why} />
        </section>
        <section>
          <h2 className="title">The visit</h2>
          <dl className="facts">
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
          {visit.excluded && <p className="wrong">This visit is left out of the reports: it is a robot’s, or the site’s own people’s.</p>}
        </section>
        <section>
          <h2 className="title">Other visits</h2>
          {detail.others.length === 0 && <p className="quiet">None that is known.</p>}
          <ul className="others">
            {detail.others.map((other) => (
              <Other key={other.number} visit={other} />
            ))}
          </ul>
        </section>
      </aside>
    </div>
  );
}

function Happening({ hit, before, worth }: { hit: HitRecord; before: HitRecord | undefined; worth: number | undefined }) {
  const { site, goal } = useView();
  const gap = before ? hit.at - before.at : 0;
  return (
    <li className={worth === undefined ? hit.kind : `${hit.kind} reached`}>
      <time dateTime={new Date(hit.at).toISOString()}>{moment(hit.at, site.timezone, false)}</time>
      <span className="gap">{gap >= 1000 ? `+${duration(gap)}` : ""}</span>
      <Glyph kind={hit.kind} />
      <div>
        {hitWords(hit, site.currency)} <Flags internal={hit.internal} robot={hit.robot} />
        {worth !== undefined && goal && (
          <span className="counted">
            {goal.name}
            {worth !== 0 && `, ${amount(worth, site.currency)}`}
          </span>
        )}
        {hit.kind === "view" && <span className="address">{hit.url}</span>}
        {hit.kind === "view" && fromElsewhere(hit) && <span className="address">from {hit.referrer}</span>}
        <Details hit={hit} currency={site.currency} />
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
    <ol className="why">
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
    <div>
      <dt>{name}</dt>
      <dd>{value}</dd>
    </div>
  );
}

function Other({ visit }: { visit: VisitRecord }) {
  const { site, goal } = useView();
  return (
    <li>
      <VisitLink visitor={visit.visitor} number={visit.number}>
        {moment(visit.start, site.timezone)}
      </VisitLink>{" "}
      <span className="quiet">
        {visit.channel}, {plural(visit.views, "view")}
        {goal && visit.conversions > 0 ? `, ${goal.name}: ${visit.conversions}` : ""}
      </span>
    </li>
  );
}
