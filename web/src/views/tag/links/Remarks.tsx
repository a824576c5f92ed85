import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { vocabularyQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { can } from "@/state/can";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Remark } from "@/ui/layout";
import { notify } from "@/ui/Toast";
import { remarksOf, type BuiltLink, type LinkDraft } from "@/words/links";

type Word = Schemas["Word"];

interface RemarksProps {
  links: BuiltLink[];
  name: keyof LinkDraft;
  /** Whether one stands in the field: what is said while one types must not come between it and the next field, so it is reached backwards from there. */
  isTyping: boolean;
  /** Takes a word instead of that of the link at this place. */
  onUse: (value: string, place: number) => void;
}

/** What is said of a field, and what could stand there instead. */
export function Remarks({ links, name, isTyping, onUse }: RemarksProps) {
  const { site } = useSite();
  const [turnedDown, setTurnedDown] = useState<ReadonlySet<string>>(new Set());
  const words = useQuery(vocabularyQuery(site.key));
  const add = useSave(
    "links",
    (word: Word) =>
      ask(client.PUT("/api/v1/sites/{site}/vocabulary", { params: { path: { site: site.key } }, body: [...(words.data ?? []), word] })),
    (_, word) => notify(`${word.value} is in the vocabulary now.`),
  );
  const tabIndex = isTyping ? -1 : 0;
  return (
    <>
      {remarksOf(links, name, turnedDown).map((one) => (
        <Remark key={one.text}>
          {one.text}
          {one.use && (
            <>
              <Button kind="link" className="ml-1.5" tabIndex={tabIndex} onClick={() => onUse(one.use ?? "", one.place)}>
                Use {one.use}
              </Button>
              <Button kind="link" className="ml-2.5" tabIndex={tabIndex} onClick={() => setTurnedDown(new Set([...turnedDown, one.text]))}>
                Keep my spelling
              </Button>
            </>
          )}
          {one.add && can(site, "own") && words.data && (
            <Button
              kind="link"
              className="ml-2.5"
              tabIndex={tabIndex}
              disabled={add.isPending}
              onClick={() => add.mutate({ field: name as Word["field"], value: one.add ?? "", meaning: "" })}
            >
              Add {one.add} to the vocabulary
            </Button>
          )}
        </Remark>
      ))}
      {add.error && <FieldError>{add.error.detail}</FieldError>}
    </>
  );
}
