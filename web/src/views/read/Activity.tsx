import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";

import type { Schemas, SegmentPart } from "@/api/client";
import { activityQuery } from "@/api/queries";
import { ReachCurve } from "@/charts/ReachCurve";
import type { LedgerColumn } from "@/ledger/columns";
import { FigureButton } from "@/ledger/FigureButton";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { readText, useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { PLAIN_MATCH } from "@/words/segments";
import { Button } from "@/ui/Button";
import { MenuItem } from "@/ui/Menu";
import { EmptyNote, ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { duration, figure, lastWord, plural, shareWords } from "@/words/format";

type Form = Schemas["FormActivity"];
type Medium = Schemas["MediaActivity"];
type Promotion = Schemas["PromotionActivity"];

const share = (part: number, of: number): number | null => (of > 0 ? part / of : null);

/** Makes columns of numbers for rows of one kind. */
const numbers =
  <Row,>() =>
  (
    id: string,
    head: string,
    value: (row: Row) => number | null,
    more: Partial<LedgerColumn<Row>> & { of?: string } = {},
  ): LedgerColumn<Row> => {
    const { of = "count", ...rest } = more;
    return { id, head, width: 76, isNumber: true, value, cell: (row) => figure(value(row), of), ...rest };
  };

/** What was done with one form, promotion or medium: events that bear it as a property, all of one kind. */
interface Done {
  names: string[];
  key: "form" | "promo" | "media";
}
const FORM_SENT: Done = { key: "form", names: ["form submit"] };
const FORM_BEGUN: Done = { key: "form", names: ["form start", ...FORM_SENT.names] };
const FORM_SEEN: Done = { key: "form", names: ["form view", "form leave", ...FORM_BEGUN.names] };
const PROMO_CLICKED: Done = { key: "promo", names: ["promo click"] };
const PROMO_SEEN: Done = { key: "promo", names: ["promo view", ...PROMO_CLICKED.names] };
const PLAYED: Done = { key: "media", names: ["media start", "media progress"] };

/** Visits in which it was done. */
const visitsThat = ({ names, key }: Done, value: string): SegmentPart => ({
  kind: "segment",
  segment: {
    of: "visits",
    where: {
      kind: "group",
      of: "all",
      conditions: [
        { kind: "did", match: { ...PLAIN_MATCH, kind: "event", names, props: [{ key, test: "is", value }] }, test: "at least", times: 1 },
      ],
    },
  },
});

/** Makes figures of visits open up, each into the visits in which it was done; or what share those are of the visits in which something else was. */
function useOpening<Row>(nameOf: (row: Row) => string) {
  const openUp = useOpenUp();
  return (head: string, done: Done, value: (row: Row) => number | null, outOf?: Done): Partial<LedgerColumn<Row>> => ({
    hasControl: true,
    cell: (row, control) => {
      const name = nameOf(row);
      const shown = figure(value(row), outOf ? "percent" : "count");
      const title = `${name}, ${head.toLowerCase()}`;
      const open = () =>
        openUp({ measure: "visits", title, part: visitsThat(done, name), ...(outOf ? { outOf: visitsThat(outOf, name) } : {}) });
      return (
        <FigureButton label={`${name}, ${head}: ${shown}`} control={control} onOpen={open}>
          {shown}
        </FigureButton>
      );
    },
  });
}
const sentRate = (one: Form) => share(one.sent, one.seen);
const clickRate = (one: Promotion) => share(one.clicked, one.seen);
const ofForm = numbers<Form>();
const ofPromotion = numbers<Promotion>();
const ofMedium = numbers<Medium>();

/** Forms, media and promotions: what the site script tells by itself, followed from being seen to what came of it. */
export function Activity() {
  const { site } = useSite();
  const { period, goal, segment, live } = useView();
  const found = useQuery(activityQuery(site.key, { period, goal: goal?.id ?? null, segment, limit: 500 }, { live }));
  if (found.isError) return <ErrorState error={found.error} again={() => void found.refetch()} />;
  if (!found.data) return <LedgerSkeleton rows={6} />;
  const { forms, form_count, media, media_count, promotions, promotion_count } = found.data;
  return (
    <>
      <Part title="Forms" aside="visits that saw, began and sent them" left={form_count - forms.length}>
        {forms.length ? (
          <Forms forms={forms} />
        ) : (
          <EmptyNote>No form was seen in these days. Forms are told by themselves, as soon as a page with one has the code.</EmptyNote>
        )}
      </Part>
      <Part title="Promotions" aside="seen, clicked, and what came of it in the visit" left={promotion_count - promotions.length}>
        {promotions.length ? (
          <Promotions promotions={promotions} goal={goal?.name} />
        ) : (
          <EmptyNote>
            No promotion was seen in these days. Mark one in the page with data-uc-promo, and its views and clicks are told.
          </EmptyNote>
        )}
      </Part>
      <Part title="Media" aside="videos and audio, and where people stop" left={media_count - media.length}>
        {media.length ? (
          <Media media={media} />
        ) : (
          <EmptyNote>Nothing was played in these days. Videos and audio on pages with the code are told by themselves.</EmptyNote>
        )}
      </Part>
    </>
  );
}

function Part({ title, aside, left, children }: { title: string; aside: string; left: number; children: ReactNode }) {
  return (
    <section aria-label={title} className="grid min-w-0 content-start gap-1">
      <header className="flex flex-wrap items-baseline gap-x-2.5">
        <Title>{title}</Title>
        <span className="text-label text-ink-2">{aside}</span>
      </header>
      {children}
      {left > 0 && <p className="text-label text-ink-2">{plural(left, "more", "more")} with fewer visits are not listed.</p>}
    </section>
  );
}

function Forms({ forms }: { forms: Form[] }) {
  const { narrow } = useSteering();
  const opening = useOpening<Form>((one) => one.form);
  return (
    <List
      name="Forms"
      what="a form"
      rows={forms}
      rowId={(one) => one.form}
      isExported
      sort={{ by: "seen", descending: true }}
      columns={[
        { id: "form", head: "Form", value: (one) => one.form, cell: (one) => <LongText text={one.form} /> },
        ofForm("seen", "Seen", (one) => one.seen, { ...opening("Seen", FORM_SEEN, (one) => one.seen), isLead: true }),
        ofForm("begun", "Begun", (one) => one.begun, { ...opening("Begun", FORM_BEGUN, (one) => one.begun) }),
        ofForm("sent", "Sent", (one) => one.sent, { ...opening("Sent", FORM_SENT, (one) => one.sent) }),
        ofForm("rate", "Rate", sentRate, {
          ...opening("Rate", FORM_SENT, sentRate, FORM_SEEN),
          unit: ", %",
          meaning: "visits that sent it ÷ visits that saw it",
        }),
        ofForm("time", "Time", (one) => one.seconds ?? null, {
          unit: ", min",
          of: "seconds",
          meaning: "the middle time from the first typing to the sending",
        }),
        {
          id: "left",
          head: "Left at",
          width: 150,
          isWrapped: true,
          meaning: "the field in which it was left, begun and not sent; where the form allows that to be told",
          value: (one) => one.left_at.map((at) => `${at.field} (${figure(at.visits, "count")})`).join(", "),
        },
      ]}
      menu={(one) => <MenuItem onSelect={() => narrow("form", one.form)}>Only visits that sent it</MenuItem>}
    />
  );
}

function Promotions({ promotions, goal }: { promotions: Promotion[]; goal: string | undefined }) {
  const { narrow } = useSteering();
  const opening = useOpening<Promotion>((one) => one.promo);
  return (
    <List
      name="Promotions"
      what="a promotion"
      isExported
      rows={promotions}
      rowId={(one) => one.promo}
      sort={{ by: "seen", descending: true }}
      columns={[
        { id: "promo", head: "Promotion", value: (one) => one.promo, cell: (one) => <LongText text={one.promo} /> },
        ofPromotion("seen", "Seen", (one) => one.seen, { ...opening("Seen", PROMO_SEEN, (one) => one.seen), isLead: true }),
        ofPromotion(
          "clicked",
          "Clicked",
          (one) => one.clicked,
          opening("Clicked", PROMO_CLICKED, (one) => one.clicked),
        ),
        ofPromotion("rate", "Rate", clickRate, {
          ...opening("Rate", PROMO_CLICKED, clickRate, PROMO_SEEN),
          unit: ", %",
          meaning: "visits that clicked it ÷ visits that saw it",
        }),
        ...(goal
          ? [
              ofPromotion("conversions", `${lastWord(goal)} after`, (one) => one.conversions, {
                width: 100,
                meaning: `${goal} behind the first click, in the same visit`,
              }),
              ofPromotion("converting", "Of clicked", (one) => share(one.converting, one.clicked), {
                unit: ", %",
                of: "percent",
                width: 96,
              }),
            ]
          : []),
      ]}
      menu={(one) => <MenuItem onSelect={() => narrow("promo", one.promo)}>Only visits that clicked it</MenuItem>}
    />
  );
}

function Media({ media }: { media: Medium[] }) {
  const { narrow } = useSteering();
  const opening = useOpening<Medium>((one) => one.media);
  const [chosen, setChosen] = useShown("where people stop", "", readText);
  const shown = media.find((one) => one.media === chosen) ?? media[0];
  return (
    <>
      <List
        name="Media"
        what="a video or audio"
        isExported
        rows={media}
        rowId={(one) => one.media}
        sort={{ by: "visits", descending: true }}
        isCurrent={(one) => one === shown}
        columns={[
          {
            id: "media",
            head: "Media",
            hasControl: true,
            value: (one) => one.media,
            cell: (one, control) => (
              <Button kind="link" title="Show where people stop" onClick={() => setChosen(() => one.media)} {...control}>
                <LongText text={one.media} />
              </Button>
            ),
          },
          ofMedium("visits", "Visits", (one) => one.visits, { ...opening("Visits", PLAYED, (one) => one.visits), isLead: true }),
          ofMedium("plays", "Plays", (one) => one.plays),
          ofMedium("seconds", "Seen a visit", (one) => share(one.seconds, one.visits), { unit: ", min", of: "seconds", width: 112 }),
          ofMedium("mean", "Mean", (one) => one.mean_share, {
            unit: ", %",
            of: "percent",
            meaning: "how much of it a visit sees on average",
          }),
          ofMedium("end", "To the end", (one) => share(one.to_end, one.visits), { unit: ", %", of: "percent", width: 106 }),
        ]}
        menu={(one) => <MenuItem onSelect={() => narrow("media", one.media)}>Only visits that played it</MenuItem>}
      />
      {shown && <ReachCurve title={curveWords(shown)} reached={shown.reached} />}
    </>
  );
}

/** Where people stop, in words. */
function curveWords({ media, visits, reached, seconds, to_end: end }: Medium): string {
  const half = reached[Math.floor(reached.length / 2)] ?? 0;
  return `${media}: of ${plural(visits, "visit")} ${shareWords(half / Math.max(visits, 1))} saw half of it and ${shareWords(end / Math.max(visits, 1))} all; ${duration((seconds / Math.max(visits, 1)) * 1000)} a visit`;
}
