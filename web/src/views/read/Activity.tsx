import { useQuery } from "@tanstack/react-query";
import { Fragment, type ReactNode } from "react";

import { activityQuery } from "@/api/queries";
import { ReachCurve } from "@/charts/ReachCurve";
import type { CellControl, LedgerColumn } from "@/ledger/columns";
import { FigureButton } from "@/ledger/FigureButton";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { readText, useShown } from "@/state/shown";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import {
  FORM_FIGURES,
  leftAt,
  MEDIA_FIGURES,
  promotionFigures,
  visitsThat,
  type ActivityFigure,
  type Did,
  type Form,
  type Medium,
  type Promotion,
} from "@/views/read/activityFigures";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { useOpenUp } from "@/views/shared/OpenedUp";
import { Button } from "@/ui/Button";
import { MenuItem } from "@/ui/Menu";
import { EmptyNote, ErrorState } from "@/ui/states";
import { Title } from "@/ui/text";
import { duration, figure, lastWord, plural, shareWords } from "@/words/format";

const UNITS = { count: "", percent: ", %", seconds: ", min" };

/** Columns of figures, each of which opens up, into what it is and the visits in which it was done. */
function useColumnsOf<Row>(of: Did["of"], nameOf: (row: Row) => string, figures: readonly ActivityFigure<Row>[]): LedgerColumn<Row>[] {
  const openUp = useOpenUp();
  return figures.map(({ id, head, unit, meaning, done, value, width = 76, isLead = false }) => ({
    id,
    head,
    unit: UNITS[unit],
    meaning,
    width,
    isLead,
    isNumber: true,
    hasControl: true,
    value,
    cell: (row, control) => {
      const name = nameOf(row);
      const shown = figure(value(row), unit);
      const title = `${name}, ${head.toLowerCase()}`;
      const open = () => openUp({ measure: "visits", title, part: visitsThat(done, name), did: { of, name, figure: id } });
      return (
        <FigureButton label={`${name}, ${head}: ${shown}`} control={control} onOpen={open}>
          {shown}
        </FigureButton>
      );
    },
  }));
}

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
  const figures = useColumnsOf("forms", (one: Form) => one.form, FORM_FIGURES);
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
        ...figures,
        {
          id: "left",
          head: "Left at",
          width: 150,
          isWrapped: true,
          meaning: "the field in which it was left, begun and not sent; where the form allows that to be told",
          hasControl: true,
          value: (one) => one.left_at.map((at) => `${at.field} (${figure(at.visits, "count")})`).join(", "),
          cell: (one, control) => <LeftAt form={one} control={control} />,
        },
      ]}
      menu={(one) => <MenuItem onSelect={() => narrow("form", one.form)}>Only visits that sent it</MenuItem>}
    />
  );
}

/** Fields at which a form was left, each with how many did, which opens up. */
function LeftAt({ form, control }: { form: Form; control: CellControl }) {
  if (!form.left_at.length) return <span {...control} />;
  return form.left_at.map(({ field, visits }, place) => (
    <Fragment key={field}>
      {place > 0 && ", "}
      {field} (
      <OpenedCell
        row={form.form}
        text={figure(visits, "count")}
        opened={{ measure: "visits", title: `left at ${field}`, ...leftAt(form.form, field) }}
        {...(place === 0 ? { control } : {})}
      />
      )
    </Fragment>
  ));
}

function Promotions({ promotions, goal }: { promotions: Promotion[]; goal: string | undefined }) {
  const { narrow } = useSteering();
  const figures = useColumnsOf(
    "promotions",
    (one: Promotion) => one.promo,
    promotionFigures(goal === undefined ? null : { name: goal, word: lastWord(goal) }),
  );
  return (
    <List
      name="Promotions"
      what="a promotion"
      isExported
      rows={promotions}
      rowId={(one) => one.promo}
      sort={{ by: "seen", descending: true }}
      columns={[{ id: "promo", head: "Promotion", value: (one) => one.promo, cell: (one) => <LongText text={one.promo} /> }, ...figures]}
      menu={(one) => <MenuItem onSelect={() => narrow("promo", one.promo)}>Only visits that clicked it</MenuItem>}
    />
  );
}

function Media({ media }: { media: Medium[] }) {
  const { narrow } = useSteering();
  const figures = useColumnsOf("media", (one: Medium) => one.media, MEDIA_FIGURES);
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
          ...figures,
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
