import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client, type SegmentPart, type StoredSegment } from "@/api/client";
import { useSave } from "@/api/useSave";
import { useLeave } from "@/forms/leaving";
import { ViewPending } from "@/ledger/ViewPending";
import { elsewhere, partText, segmentIn, type ViewSearch } from "@/state/address";
import { HOME } from "@/state/paths";
import { useSite } from "@/state/site";
import { useSteering } from "@/state/view";
import { Confirm } from "@/ui/Dialog";
import { FieldError } from "@/ui/Field";
import { ViewError } from "@/ui/states";
import { notify } from "@/ui/Toast";
import { SegmentEditor } from "@/views/explain/segments/SegmentEditor";
import { SegmentList } from "@/views/explain/segments/SegmentList";

/** Which visits, or which people, are meant: segments under names, and the editor of one. */
export function Segments() {
  const { site, segments, ready, trouble, again } = useSite();
  const { setBeside } = useSteering();
  const search = useSearch({ from: "/s/$site" });
  const navigate = useNavigate();
  const leave = useLeave();
  const [dropping, setDropping] = useState<StoredSegment | null>(null);
  const path = (segment: StoredSegment) => ({ params: { path: { site: site.key, segment: segment.id } } });
  const restore = useSave("everything", (one: StoredSegment) =>
    ask(client.POST("/api/v1/sites/{site}/segments/{segment}/restore", path(one))),
  );
  const go = (to: Pick<ViewSearch, "edit" | "draft">) =>
    void navigate({ to: ".", search: (now: ViewSearch) => ({ ...elsewhere(now), ...to }) });
  const archive = useSave(
    "everything",
    (one: StoredSegment) => ask(client.POST("/api/v1/sites/{site}/segments/{segment}/archive", path(one))),
    (_, one) => {
      setDropping(null);
      go({});
      notify(`${one.name} was archived.`, () => restore.mutate(one));
    },
  );
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (!ready) return <ViewPending />;
  const use = (part: SegmentPart) =>
    leave(
      () =>
        void navigate({
          to: HOME,
          params: { site: site.key },
          search: (now: ViewSearch) => ({
            ...elsewhere(now),
            segment: [...(now.segment ?? []).filter((one) => one !== partText(part)), partText(part)],
          }),
        }),
    );
  const stored = segments.find((one) => String(one.id) === search.edit) ?? null;
  const error = archive.error ?? restore.error;
  return (
    <>
      {search.edit === "new" || stored ? (
        <SegmentEditor
          key={search.edit + (search.draft ?? "")}
          stored={stored}
          begins={search.draft ? segmentIn(search.draft) : null}
          onUse={use}
          onDone={() => go({})}
          onArchive={() => setDropping(stored)}
        />
      ) : (
        <SegmentList
          onNew={() => go({ edit: "new" })}
          onUse={use}
          onDuplicate={(one) => go({ edit: "new", draft: JSON.stringify(one.segment) })}
          onArchive={setDropping}
          onRestore={restore.mutate}
          onBeside={setBeside}
        />
      )}
      {error && <FieldError>{error.detail}</FieldError>}
      <Confirm
        open={dropping !== null}
        title={`Archive ${dropping?.name ?? "the segment"}?`}
        verb="Archive"
        busy={archive.isPending}
        onDo={() => dropping && archive.mutate(dropping)}
        onClose={() => setDropping(null)}
      >
        It is offered nowhere then. Addresses that name it still open, and it can be restored.
      </Confirm>
    </>
  );
}
