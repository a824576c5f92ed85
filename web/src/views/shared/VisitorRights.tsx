import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "@/api/client";
import { readAnew } from "@/api/readAnew";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Confirm } from "@/ui/Dialog";
import { FieldError } from "@/ui/Field";
import { Actions } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { download } from "@/words/download";
import { plural } from "@/words/format";

/** Hands out, or forgets, what is stored of one visitor. */
export function VisitorRights({ visitor, onForgotten }: { visitor: string; onForgotten?: () => void }) {
  const { site } = useSite();
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  const query = { visitor };
  const hand = useMutation({
    mutationFn: () =>
      ask(client.GET("/api/v1/sites/{site}/visitors/export", { params: { path: { site: site.key }, query }, parseAs: "blob" })),
    onSuccess: (data) => download(data as unknown as Blob, "visitor.jsonl"),
  });
  const forget = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/sites/{site}/visitors", { params: { path: { site: site.key }, query } })),
    onSuccess: ({ hits }) => {
      notify(`Forgotten: ${plural(hits, "hit")} deleted.`);
      onForgotten?.();
      void readAnew(queries, "everything");
    },
    onSettled: () => setAsking(false),
  });
  const error = forget.error ?? hand.error;
  return (
    <>
      <Actions>
        <Button disabled={!visitor || hand.isPending} onClick={() => hand.mutate()}>
          Export this visitor’s data
        </Button>
        <Button disabled={!visitor} onClick={() => setAsking(true)}>
          Forget this visitor …
        </Button>
      </Actions>
      {error && <FieldError>{error.detail}</FieldError>}
      <Confirm
        open={asking}
        title="Forget this visitor?"
        verb="Forget"
        busy={forget.isPending}
        onDo={() => forget.mutate()}
        onClose={() => setAsking(false)}
      >
        Every hit of {visitor} is deleted for good, and all reports are read without them. This cannot be taken back.
      </Confirm>
    </>
  );
}
