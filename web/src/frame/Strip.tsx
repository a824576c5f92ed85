import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

import type { DimensionFilter, Site, Versus } from "@/api/client";
import { HOME, viewPath } from "@/app/stages";
import { AddNarrowing } from "@/frame/AddNarrowing";
import { PeriodControl } from "@/frame/PeriodControl";
import { Cross } from "@/pieces/Marks";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { valueWords, versusWords } from "@/words/format";

/** The sentence under which everything below is read; its dotted words are its controls. */
export function Strip({ sites }: { sites: Site[] }) {
  const { site, goals, goal, versus, period, filters, setVersus, steerBy } = useView();
  return (
    <header className="strip">
      <div className="context">
        <Choice label="Site" className="word site" shown={site.name}>
          {sites.map((one) => (
            <DropdownMenu.Item key={one.key} className="menu-item" asChild>
              <a href={viewPath(one.key, HOME)} aria-current={one.key === site.key || undefined}>
                {one.name}
              </a>
            </DropdownMenu.Item>
          ))}
        </Choice>
        <span>from</span>
        <PeriodControl />
        <span>versus</span>
        <Choice label="Versus" className="word" shown={versusWords(period, versus)} after=".">
          <DropdownMenu.RadioGroup value={versus} onValueChange={(to) => setVersus(to as Versus)}>
            {(["before", "year", "none"] as const).map((one) => (
              <DropdownMenu.RadioItem key={one} value={one} className="menu-item">
                {versusWords(period, one)}
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
        </Choice>
        {goal && (
          <>
            <span>Steer by</span>
            <Choice label="Steer by" className="word goal" shown={goal.name}>
              <DropdownMenu.RadioGroup value={String(goal.id)} onValueChange={(to) => steerBy(Number(to))}>
                {goals.map((one) => (
                  <DropdownMenu.RadioItem key={one.id} value={String(one.id)} className="menu-item">
                    {one.name}
                  </DropdownMenu.RadioItem>
                ))}
              </DropdownMenu.RadioGroup>
            </Choice>
          </>
        )}
      </div>
      <div className="chips">
        {filters.map((one) => (
          <Chip key={`${one.dimension} ${one.without}`} narrowing={one} />
        ))}
        <AddNarrowing />
      </div>
    </header>
  );
}

function Choice({
  label,
  className,
  shown,
  after,
  children,
}: {
  label: string;
  className: string;
  shown: string;
  after?: string;
  children: ReactNode;
}) {
  return (
    <DropdownMenu.Root>
      <span className="held">
        <DropdownMenu.Trigger className={className} aria-label={`${label}: ${shown}`}>
          {shown}
        </DropdownMenu.Trigger>
        {after}
      </span>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" align="start" sideOffset={6}>
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function Chip({ narrowing }: { narrowing: DimensionFilter }) {
  const { registry, widen } = useView();
  const title = registry?.dimensions.find((one) => one.name === narrowing.dimension)?.title ?? narrowing.dimension;
  const values = narrowing.values.map((value) => valueWords(narrowing.dimension, value)).join(" or ");
  const word = narrowing.without ? "Without" : "Only";
  return (
    <span className={narrowing.without ? "chip out" : "chip"}>
      <span className="chip-text" title={values}>
        <i>{word}</i> {title.toLowerCase()} {values}
      </span>
      <Button kind="icon" aria-label={`Take off: ${word.toLowerCase()} ${title.toLowerCase()} ${values}`} onClick={() => widen(narrowing)}>
        <Cross />
      </Button>
    </span>
  );
}
