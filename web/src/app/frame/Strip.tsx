import { Link } from "@tanstack/react-router";
import { clsx } from "clsx";
import type { ReactNode } from "react";

import type { Site } from "@/api/client";
import { partText } from "@/state/address";
import { HOME, NEW_SITE } from "@/state/paths";
import { AddNarrowing } from "@/app/frame/AddNarrowing";
import { Narrowing } from "@/app/frame/Narrowing";
import { PartChip } from "@/app/frame/PartChip";
import { PeriodControl } from "@/app/frame/PeriodControl";
import { WORD } from "@/app/frame/surfaces";
import { useHere } from "@/app/frame/useHere";
import { useSite } from "@/state/site";
import { useSteering, useView } from "@/state/view";
import { Menu, MenuChoice, MenuItem } from "@/ui/Menu";
import { versusWords } from "@/words/format";
import { SIDE_LETTERS } from "@/words/segments";

/** The sentence under which everything below is read; its dotted words are its controls. It is dimmed over what it does not change. */
export function Strip({ sites }: { sites: Site[] }) {
  const { site, goals } = useSite();
  const { goal, versus, period, filters, parts, beside } = useView();
  const { setVersus, steerBy, setParts, setBeside } = useSteering();
  const { isTimeless } = useHere();
  const dotted = isTimeless ? "border-hairline-firm" : "border-teal text-ink";
  return (
    <header className="flex flex-wrap items-center gap-x-4 gap-y-1 px-(--frame-gutter) pt-2 pb-1.5 [grid-area:strip] max-[720px]:gap-x-1.5 max-[720px]:gap-y-0.5 max-[720px]:font-serif max-[720px]:text-label max-[720px]:text-ink-2">
      <div
        className="flex flex-wrap items-center gap-x-[7px] gap-y-0.5 font-serif text-context leading-6 text-ink-2 max-[900px]:text-label max-[720px]:contents"
        title={isTimeless ? "Days, versus and segment change nothing in this view" : undefined}
      >
        <Choice label="Site" className="border-teal font-[640] text-ink" shown={site.name}>
          {sites.map((one) => (
            <MenuItem key={one.key} asChild>
              <Link to={HOME} params={{ site: one.key }} aria-current={one.key === site.key || undefined}>
                {one.name}
              </Link>
            </MenuItem>
          ))}
          <MenuItem className="border-t border-hairline" asChild>
            <Link to={NEW_SITE} params={{ site: site.key }}>
              Add a site …
            </Link>
          </MenuItem>
        </Choice>
        <span>from</span>
        <PeriodControl className={dotted} />
        <span>versus</span>
        <Choice label="Versus" className={dotted} shown={versusWords(period, versus)} after=".">
          <MenuChoice
            value={versus}
            onChange={setVersus}
            options={(["before", "year", "none"] as const).map((value) => ({ value, label: versusWords(period, value) }))}
          />
        </Choice>
        {goal && (
          <>
            <span>Steer by</span>
            <Choice label="Steer by" className="border-magenta font-[560] text-magenta" shown={goal.name}>
              <MenuChoice
                value={String(goal.id)}
                onChange={(to) => steerBy(Number(to))}
                options={goals.map((one) => ({ value: String(one.id), label: one.name }))}
              />
            </Choice>
          </>
        )}
      </div>
      <div
        className="flex min-w-0 flex-wrap items-center gap-1.5 border-hairline-firm max-[720px]:contents min-[721px]:border-l min-[721px]:pl-4"
        role="group"
        aria-label="Segment"
      >
        {filters.map((one) => (
          <Narrowing key={`${one.dimension} ${one.without}`} narrowing={one} isDimmed={isTimeless} />
        ))}
        {parts.map((one) => (
          <PartChip key={partText(one)} part={one} isDimmed={isTimeless} onAway={() => setParts(parts.filter((other) => other !== one))} />
        ))}
        <AddNarrowing />
        {beside.length > 0 && (
          <span role="group" aria-label="Side by side" className="flex min-w-0 flex-wrap items-center gap-1.5">
            <span className="font-serif text-label text-ink-2">side by side</span>
            {beside.map((one, place) => (
              <PartChip
                key={partText(one)}
                part={one}
                letter={SIDE_LETTERS[place] ?? ""}
                isDimmed={isTimeless}
                onAway={() => setBeside(beside.filter((other) => other !== one))}
              />
            ))}
          </span>
        )}
      </div>
    </header>
  );
}

interface ChoiceProps {
  label: string;
  className: string;
  shown: string;
  after?: string;
  children: ReactNode;
}

function Choice({ label, className, shown, after, children }: ChoiceProps) {
  return (
    <span className="whitespace-nowrap">
      <Menu
        trigger={
          <button type="button" className={clsx(WORD, className)} title={shown} aria-label={`${label}: ${shown}`}>
            {shown}
          </button>
        }
      >
        {children}
      </Menu>
      {after}
    </span>
  );
}
