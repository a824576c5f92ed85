import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "@/api/client";
import { Confirm } from "@/ui/Dialog";
import { Field, Input } from "@/ui/Field";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { download } from "@/words/download";
import { plural } from "@/words/format";

/** Hands out, or forgets, what is stored of one visitor. */
export function OneVisitor() {
  const { site } = useView();
  const queries = useQueryClient();
  const [visitor, setVisitor] = useState("");
  const [asking, setAsking] = useState(false);
  // In the cookie of several hosts a mark stands behind it.
  const query = { visitor: visitor.trim().replace(/\.w$/, "") };
  const hand = useMutation({
    mutationFn: () =>
      ask(client.GET("/api/v1/sites/{site}/visitors/export", { params: { path: { site: site.key }, query }, parseAs: "blob" })),
    onSuccess: (data) => download(data as unknown as Blob, "visitor.jsonl"),
  });
  const forget = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/sites/{site}/visitors", { params: { path: { site: site.key }, query } })),
    onSuccess: () => void queries.invalidateQueries(),
    onSettled: () => setAsking(false),
  });
  const error = (forget.error ?? hand.error)?.message;
  const change = (to: string) => {
    setVisitor(to);
    forget.reset();
    hand.reset();
  };
  return (
    <section className="form" aria-label="One visitor">
      <h2 className="title">One visitor</h2>
      <Field label="The visitor’s pseudonym" hint="it stands in every visit, and in the cookie uc_visitor" error={error}>
        {(control) => <Input {...control} value={visitor} maxLength={66} onChange={(event) => change(event.target.value)} />}
      </Field>
      <div className="end">
        <Button disabled={!visitor.trim() || hand.isPending} onClick={() => hand.mutate()}>
          Hand out what is stored
        </Button>
        <Button disabled={!visitor.trim()} onClick={() => setAsking(true)}>
          Forget this visitor …
        </Button>
        <span role="status" className="quiet">
          {forget.data && `Forgotten: ${plural(forget.data.hits, "hit")} deleted.`}
        </span>
      </div>
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
    </section>
  );
}
