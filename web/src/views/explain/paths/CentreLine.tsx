import { useState } from "react";

import { ALONG, type usePaths } from "@/views/explain/paths/usePaths";
import { Word } from "@/views/explain/segments/Written";
import { Chosen } from "@/views/shared/Chosen";
import { useValues } from "@/views/shared/useValues";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Popover } from "@/ui/Popover";
import { Actions } from "@/ui/text";
import { plural, valueWords } from "@/words/format";

type PathsInHand = ReturnType<typeof usePaths>;

const CENTRES = [
  { value: "page", label: "the page" },
  { value: "page_group", label: "the page group" },
  { value: "event", label: "the event" },
  { value: "channel", label: "the channel" },
];
const STEPS = (Object.keys(ALONG) as (keyof typeof ALONG)[]).map((value) => ({ value, label: ALONG[value] }));

/** What stands in the middle and what the steps are, as a sentence whose dotted words are its controls. */
export function CentreLine({ paths }: { paths: PathsInHand }) {
  const { centre, along, isTable } = paths;
  const [open, setOpen] = useState(false);
  const words = centre
    ? `${CENTRES.find((one) => one.value === centre.dimension)?.label ?? centre.dimension} ${valueWords(centre.dimension, centre.value)}`
    : "a page";
  return (
    <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
      <p className="min-w-0 wrap-anywhere text-ink-2">
        Centre on{" "}
        <Popover
          trigger={
            <button
              type="button"
              className="max-w-full truncate border-b border-dotted border-teal align-bottom text-ink"
              aria-label={`Centre: ${words}`}
            >
              {words}
            </button>
          }
          label="The centre"
          open={open}
          onOpenChange={setOpen}
          isWide
        >
          {open && <CentreForm paths={paths} onClose={() => setOpen(false)} />}
        </Popover>
        {centre?.dimension === "channel" ? ", from where its visits begin" : ", the first time in a visit"}. Steps are{" "}
        <Chosen label="Steps" value={along} options={STEPS} onChange={(to) => paths.goAlong(to as keyof typeof ALONG)} />.
      </p>
      <span className="flex gap-3.5 text-label">
        <Button kind="link" aria-pressed={isTable} onClick={() => paths.showAs(!isTable)}>
          {isTable ? "As a chart" : "As a table"}
        </Button>
        <Button kind="link" onClick={paths.begin}>
          Begin again
        </Button>
      </span>
    </div>
  );
}

function CentreForm({ paths, onClose }: { paths: PathsInHand; onClose: () => void }) {
  const { centre } = paths;
  const known = CENTRES.some((one) => one.value === centre?.dimension) ? centre : null;
  const [dimension, setDimension] = useState(known?.dimension ?? "page");
  const [value, setValue] = useState(known?.value ?? "");
  const [isTried, setTried] = useState(false);
  const { values } = useValues(dimension, { query: value });
  const error = isTried && !value.trim() ? "Say which." : null;
  return (
    <form
      className="grid gap-2 px-3.5 py-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        setTried(true);
        if (!value.trim()) return;
        paths.centreOn({ dimension, value });
        onClose();
      }}
    >
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-1 leading-6 text-ink-2">
        <Chosen
          label="What it is"
          value={dimension}
          options={CENTRES}
          onChange={(to) => {
            setDimension(to);
            setValue("");
          }}
        />
        <Word
          label="Value"
          value={value}
          suggestions={values.filter((one) => one.value !== "").map((one) => ({ value: one.value, count: plural(one.visits, "visit") }))}
          onChange={setValue}
          isWrong={error !== null}
          isNew
        />
      </div>
      {error && <FieldError>{error}</FieldError>}
      <Actions>
        <Button kind="primary" type="submit">
          Centre here
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </Actions>
    </form>
  );
}
