import { useState, type ReactNode } from "react";

import { Bars } from "@/charts/Bars";
import { JoinedDots } from "@/charts/JoinedDots";
import { Sparkline } from "@/charts/Sparkline";
import { TimeChart } from "@/charts/TimeChart";
import { Button } from "@/ui/Button";
import { Code } from "@/ui/Code";
import { Remark, Told } from "@/ui/layout";
import { Opener } from "@/ui/Opener";
import { Checkbox, RadioGroup, Switch } from "@/ui/Choices";
import { Combobox } from "@/ui/Combobox";
import { Confirm, Sheet } from "@/ui/Dialog";
import { Field, Input, Textarea } from "@/ui/Field";
import { Menu, MenuChoice, MenuItem } from "@/ui/Menu";
import { Popover } from "@/ui/Popover";
import { Select } from "@/ui/Select";
import { Tabs } from "@/ui/Tabs";
import { Notices, notify } from "@/ui/Toast";
import { Tooltip } from "@/ui/Tooltip";
import { EmptyNote, EmptyState, ErrorState, Progress, Skeleton } from "@/ui/states";

const LONG = "a-campaign-with-a-name-that-goes-on-and-on-and-has-no-place-to-break-it-at-all-2026-11-26";
const MEDIUMS = [
  { value: "email", count: "1,204 visits" },
  { value: "e-mail", count: "31 visits" },
  { value: "qr", count: "212 visits" },
  { value: LONG, count: "1 visit" },
];

const COURSE = [4, 6, 3, null, 9, 7, 5].map((now, place) => ({
  at: `2026-11-0${place + 1}`,
  now,
  before: 5,
  expected: { low: 3, high: 8 },
}));

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-3 border-b border-hairline pb-4">
      <h2 className="font-serif text-title font-[560]">{title}</h2>
      {children}
    </section>
  );
}

/** Every piece of the kit in each of its states; in development only. */
export function Kit() {
  const [text, setText] = useState("");
  const [isShown, setShown] = useState(false);
  const [medium, setMedium] = useState("mail");
  const [test, setTest] = useState<"" | "is" | "contains">("is");
  const [checked, setChecked] = useState(true);
  const [counts, setCounts] = useState<"once" | "always">("once");
  const [tab, setTab] = useState("one");
  const [open, setOpen] = useState<"confirm" | "sheet" | null>(null);
  return (
    <main className="mx-auto grid max-w-[1100px] gap-6 p-6 md:grid-cols-2">
      <h1 className="font-serif text-answer md:col-span-2">The kit</h1>
      <Part title="Buttons">
        <div className="flex flex-wrap items-center gap-3">
          <Button kind="primary">Save</Button>
          <Button>Cancel</Button>
          <Button kind="primary" disabled>
            Saving
          </Button>
          <Button kind="link">Undo</Button>
          <Button kind="quiet">Archive</Button>
        </div>
      </Part>
      <Part title="Fields">
        <Field label="Name" hint="as it stands in reports">
          {(control) => <Input {...control} value={text} placeholder="Bookings" onChange={(event) => setText(event.target.value)} />}
        </Field>
        <Field label="Address" hint="with https://" error="This is no address of a page.">
          {(control) => <Input {...control} defaultValue={LONG} />}
        </Field>
        <Field label="Note">{(control) => <Textarea {...control} rows={2} />}</Field>
      </Part>
      <Part title="Choosing">
        <Field label="Test">
          {(control) => (
            <Select
              {...control}
              value={test}
              options={[{ value: "", label: "any" }, { value: "is" }, { value: "contains" }]}
              onChange={setTest}
            />
          )}
        </Field>
        <Field label="Medium" hint="what sort of link it is">
          {(control) => <Combobox {...control} value={medium} suggestions={MEDIUMS} onChange={setMedium} />}
        </Field>
        <Checkbox label="Downloads" hint="links to files" checked={checked} onChange={setChecked} />
        <Checkbox label="Outbound links" checked={false} disabled onChange={setChecked} />
        <Switch label="Only my browser" checked={checked} onChange={setChecked} />
        <RadioGroup
          label="Counts"
          value={counts}
          options={[
            { value: "once", label: "Once a visit" },
            { value: "always", label: "Every time" },
          ]}
          onChange={setCounts}
        />
      </Part>
      <Part title="Over a view">
        <div className="flex flex-wrap items-center gap-3">
          <Menu trigger={<Button>What can be done</Button>} label="phone">
            <MenuItem>Only these</MenuItem>
            <MenuItem>Without these</MenuItem>
          </Menu>
          <Menu trigger={<Button>Counts</Button>}>
            <MenuChoice
              value={counts}
              options={[
                { value: "once", label: "Once a visit" },
                { value: "always", label: "Every time" },
              ]}
              onChange={setCounts}
            />
          </Menu>
          <Popover trigger={<Button>A small form</Button>} label="A small form">
            <div className="px-3.5 py-2">
              <Field label="Is">{(control) => <Input {...control} />}</Field>
            </div>
          </Popover>
          <Tooltip text={LONG}>
            <Button kind="link">More words</Button>
          </Tooltip>
          <Button onClick={() => setOpen("confirm")}>Delete</Button>
          <Button onClick={() => setOpen("sheet")}>Open up</Button>
          <Button onClick={() => notify(`The goal ${text || "Bookings"} was deleted.`, () => notify("It is back."))}>Tell</Button>
        </div>
        <Confirm open={open === "confirm"} title="Delete the goal?" verb="Delete" onDo={() => setOpen(null)} onClose={() => setOpen(null)}>
          Its figures go from all reports; it can be restored later.
        </Confirm>
        <Sheet open={open === "sheet"} title={LONG} above="Opened up" onClose={() => setOpen(null)}>
          <p>What is behind a figure.</p>
        </Sheet>
      </Part>
      <Part title="Parts in view">
        <Tabs
          label="Parts"
          value={tab}
          onChange={setTab}
          tabs={[
            { value: "one", label: "Draft", content: <p>What is not live yet.</p> },
            { value: "two", label: "Versions", content: <p>What was live before.</p> },
          ]}
        />
      </Part>
      <Part title="In a view">
        <div>
          <Opener isOpen={isShown} onToggle={() => setShown(!isShown)}>
            {LONG}
          </Opener>
          {isShown && <p>What stands below its line.</p>}
        </div>
        <div>
          <Field label="Source">{(control) => <Input {...control} defaultValue="News Letter" />}</Field>
          <Remark>
            it is not in the site’s vocabulary; use letter? <Button kind="link">Use letter</Button>
          </Remark>
        </div>
        <Told>It works. Your visit arrived 2 s ago.</Told>
        <Told isAmiss>It landed on another page.</Told>
        <Code text={`<script defer src="${LONG}"></script>`} />
      </Part>
      <Part title="States">
        <EmptyNote>No event has arrived yet. The first one stands here as soon as it comes.</EmptyNote>
        <EmptyState title="No goal yet">
          <p>A goal says what a visit is for. Make one from what arrived.</p>
          <Button kind="primary">Add a goal</Button>
        </EmptyState>
        <ErrorState
          error={Object.assign(new Error("This part of the page failed. What you chose is kept in the address."), { problem: {} })}
          again={() => undefined}
        />
        <div className="grid gap-2">
          <Skeleton className="h-6 w-2/3" />
          <Skeleton className="h-6" />
        </div>
        <Progress label="Reading history" value={0.42} />
        <Progress label="Reading history" value={null} />
      </Part>
      <Notices />
      <Part title="Charts">
        <TimeChart
          title="Bookings a day, between what was expected"
          unit="count"
          bucket="day"
          points={COURSE}
          versus="the week before"
          incompleteFrom={COURSE.length - 1}
          flags={[{ at: "2026-11-05", text: "the letter went out" }]}
        />
        <Bars
          title="Bookings by device"
          unit="count"
          amounts={[
            { name: "phone", value: 61 },
            { name: "desktop", value: 48 },
            { name: LONG, value: 3 },
          ]}
        />
        <JoinedDots
          unit="percent"
          top={0.5}
          values={[
            { name: "first touch", value: 0.12 },
            { name: "last touch", value: 0.34 },
            { name: "linear", value: 0.2 },
          ]}
        />
        <Sparkline values={COURSE.map((point) => point.now)} />
      </Part>
    </main>
  );
}
