import { useQueries } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { SegmentPart, StoredSegment } from "@/api/client";
import { tableByRow } from "@/api/figures";
import { segmentVisitsQuery } from "@/api/queries";
import { actionColumn } from "@/ledger/actionColumn";
import type { LedgerColumn } from "@/ledger/columns";
import { List } from "@/ledger/List";
import { can } from "@/state/can";
import { elsewhere, MAX_BESIDE, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Answer, Actions, Title } from "@/ui/text";
import { MenuItem } from "@/ui/Menu";
import { EmptyState, ErrorState } from "@/ui/states";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { figure, plural } from "@/words/format";
import { segmentWords } from "@/words/segments";

/** So many are counted by one request. */
const AT_ONCE = 25;
const BY_NAME = { by: "name", descending: false };

interface SegmentListProps {
  onNew: () => void;
  onUse: (part: SegmentPart) => void;
  onDuplicate: (segment: StoredSegment) => void;
  onArchive: (segment: StoredSegment) => void;
  onRestore: (segment: StoredSegment) => void;
  onBeside: (parts: SegmentPart[]) => void;
}

/** The segments that are saved, each with how many visits it holds. */
export function SegmentList({ onNew, onUse, onDuplicate, onArchive, onRestore, onBeside }: SegmentListProps) {
  const { site, segments, registry } = useSite();
  const { period, segment, live, beside } = useView();
  const canEdit = can(site, "edit");
  const standing = segments.filter((one) => !one.archived);
  const archived = segments.filter((one) => one.archived);
  const parts = Array.from({ length: Math.ceil(standing.length / AT_ONCE) }, (_, i) => standing.slice(i * AT_ONCE, (i + 1) * AT_ONCE));
  const counted = useQueries({
    queries: parts.map((some) => segmentVisitsQuery(site.key, { period, segment, ids: some.map((one) => one.id) }, { live })),
  });
  const visits = Object.assign({}, ...counted.map((one) => (one.data ? tableByRow(one.data).total.values : {}))) as Record<
    string,
    number | null
  >;
  const trouble = counted.find((one) => one.isError);
  const isBeside = (segment: StoredSegment) => beside.some((one) => one.kind === "saved" && one.id === segment.id);
  const name: LedgerColumn<StoredSegment> = {
    id: "name",
    head: "Segment",
    hasControl: true,
    value: (one) => one.name,
    cell: (one, control) => (
      <Link
        to="/s/$site/explain/segments"
        params={{ site: site.key }}
        search={(now: ViewSearch) => ({ ...elsewhere(now), edit: String(one.id), draft: undefined })}
        className="text-teal decoration-1 underline-offset-3 hover:underline"
        {...control}
      >
        {one.name}
      </Link>
    ),
  };
  const says: LedgerColumn<StoredSegment> = {
    id: "says",
    head: "Who is in it",
    width: 420,
    isWrapped: true,
    value: (one) => segmentWords(one.segment, { registry, segments }),
  };
  return (
    <div className="grid max-w-[1500px] grid-cols-[minmax(0,1fr)] gap-3.5">
      <Answer>
        {standing.length
          ? `${plural(standing.length, "segment")} to narrow every view to, to hold against each other, and to set side by side.`
          : "No segment is saved yet."}
      </Answer>
      {standing.length === 0 ? (
        <EmptyState>
          <p className="text-ink-2">
            A segment says which visits, or which people, are meant: those who saw a page, came by a channel, did one thing and later
            another. Chips above are the simplest one; one that is written here has a name, and can be used in every view.
          </p>
        </EmptyState>
      ) : (
        <List
          name="Segments"
          what="a segment"
          rows={standing}
          rowId={(one) => String(one.id)}
          sort={BY_NAME}
          columns={[
            name,
            says,
            {
              id: "visits",
              head: "Visits",
              width: 74,
              isNumber: true,
              isLead: true,
              value: (one) => visits[String(one.id)] ?? null,
              hasControl: true,
              cell: (one, control) => (
                <OpenedCell
                  row={one.name}
                  text={figure(visits[String(one.id)], "count")}
                  opened={{ measure: "visits", title: "Visits", part: { kind: "saved", id: one.id } }}
                  control={control}
                />
              ),
            },
            { id: "note", head: "Note", width: 160, isWrapped: true, value: (one) => one.note },
            { id: "by", head: "By", width: 110, value: (one) => one.by ?? "somebody who left" },
            {
              id: "used",
              head: "Used in",
              width: 150,
              isWrapped: true,
              value: (one) => one.used_in.map((use) => (use.kind === "segment" ? use.name : `logbook: ${use.name}`)).join(", "),
            },
          ]}
          menu={(one) => (
            <>
              <MenuItem onSelect={() => onUse({ kind: "saved", id: one.id })}>Only these</MenuItem>
              <MenuItem
                disabled={!isBeside(one) && beside.length >= MAX_BESIDE}
                onSelect={() =>
                  onBeside(
                    isBeside(one)
                      ? beside.filter((other) => other.kind !== "saved" || other.id !== one.id)
                      : [...beside, { kind: "saved", id: one.id }],
                  )
                }
              >
                {isBeside(one) ? "No longer side by side" : "Side by side"}
              </MenuItem>
              <MenuItem asChild>
                <Link
                  to="/s/$site/explain/compare"
                  params={{ site: site.key }}
                  search={(now: ViewSearch) => ({ ...elsewhere(now), group: `saved:${one.id}`, against: undefined, by: undefined })}
                >
                  Compare with the rest
                </Link>
              </MenuItem>
              {canEdit && <MenuItem onSelect={() => onDuplicate(one)}>Duplicate</MenuItem>}
              {canEdit && (
                <MenuItem disabled={one.used_in.length > 0} onSelect={() => onArchive(one)}>
                  Archive …
                </MenuItem>
              )}
            </>
          )}
        />
      )}
      {trouble && <ErrorState error={trouble.error} again={() => void trouble.refetch()} />}
      <Actions>
        <Button kind="primary" onClick={onNew}>
          Write a segment
        </Button>
      </Actions>
      {archived.length > 0 && (
        <section aria-label="Archived" className="mt-3 grid gap-1">
          <Title>Archived</Title>
          <List
            name="Archived segments"
            what="an archived segment"
            rows={archived}
            rowId={(one) => String(one.id)}
            sort={BY_NAME}
            columns={[
              { id: "name", head: "Segment", value: (one) => one.name },
              says,
              ...(canEdit
                ? [
                    actionColumn<StoredSegment>({
                      verb: "Restore",
                      label: (one) => `Restore ${one.name}`,
                      width: 66,
                      isBusy: false,
                      onDo: onRestore,
                    }),
                  ]
                : []),
            ]}
          />
        </section>
      )}
    </div>
  );
}
