import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { SegmentPart } from "@/api/client";
import { elsewhere, MAX_BESIDE, type ViewSearch } from "@/state/address";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Input } from "@/ui/Field";
import { SIDE_LETTERS } from "@/words/segments";

const SEARCHABLE_FROM = 8;

/** The saved segments, each to be read alone or side by side with others; and the way to write one. */
export function SavedChoice({ done }: { done: () => void }) {
  const { site, segments } = useSite();
  const { segment, parts, beside } = useView();
  const { setParts, setBeside } = useSteering();
  const [query, setQuery] = useState("");
  const standing = segments.filter((one) => !one.archived);
  const fitting = standing.filter((one) => one.name.toLowerCase().includes(query.trim().toLowerCase()));
  const holds = (list: readonly SegmentPart[], id: number) => list.some((one) => one.kind === "saved" && one.id === id);
  const toggled = (list: readonly SegmentPart[], id: number): SegmentPart[] =>
    holds(list, id) ? list.filter((one) => one.kind !== "saved" || one.id !== id) : [...list, { kind: "saved", id }];
  const letter = (id: number) => SIDE_LETTERS[beside.findIndex((one) => one.kind === "saved" && one.id === id)] ?? "";
  return (
    <section aria-label="Saved segments" className="mt-1 grid gap-1.5 border-t border-hairline px-3.5 pt-2.5">
      <h2 className="text-label text-ink-2">
        {standing.length ? `Saved segments, and up to ${MAX_BESIDE} of them side by side` : "No segment is saved yet."}
      </h2>
      {standing.length >= SEARCHABLE_FROM && (
        <Input
          aria-label="Look for a saved segment"
          placeholder="Look for …"
          value={query}
          onChange={(event) => setQuery(event.target.value)}
        />
      )}
      <ul className="grid max-h-52 gap-1 overflow-y-auto">
        {fitting.map(({ id, name }) => (
          <li key={id} className="flex items-baseline gap-3">
            <Button
              kind="link"
              className="min-w-0 flex-1"
              aria-pressed={holds(parts, id)}
              onClick={() => {
                setParts(toggled(parts, id));
                done();
              }}
            >
              {holds(parts, id) ? `${name}, read now` : name}
            </Button>
            <Checkbox
              label={
                <span className="text-label">
                  <span className="sr-only">{name} </span>side by side {letter(id)}
                </span>
              }
              checked={holds(beside, id)}
              disabled={!holds(beside, id) && beside.length >= MAX_BESIDE}
              onChange={() => setBeside(toggled(beside, id))}
            />
          </li>
        ))}
      </ul>
      <p>
        <Link
          to="/s/$site/explain/segments"
          params={{ site: site.key }}
          search={(now: ViewSearch) => ({ ...elsewhere(now), edit: "new", draft: segment ? JSON.stringify(segment) : undefined })}
          className="text-teal underline-offset-3 hover:underline"
          onClick={done}
        >
          {segment ? "Write a segment, beginning with what is read …" : "Write a segment …"}
        </Link>
      </p>
    </section>
  );
}
