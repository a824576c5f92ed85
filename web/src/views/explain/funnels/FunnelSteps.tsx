import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors, type DragEndEvent } from "@dnd-kit/core";
import { arrayMove, SortableContext, sortableKeyboardCoordinates, verticalListSortingStrategy } from "@dnd-kit/sortable";

import type { ComponentProps } from "react";

import type { Schemas } from "@/api/client";
import type { OpenedStepFigure } from "@/views/explain/funnels/OpenedStep";
import { StepRow } from "@/views/explain/funnels/StepRow";
import { WentOnHead } from "@/views/explain/funnels/WentOn";
import { StepEditor } from "@/views/explain/funnels/StepEditor";
import { Button } from "@/ui/Button";
import { worstStep, type Funnel, type FunnelRow } from "@/words/funnels";

const MAX_STEPS = 10;
/** A step and its figures; what was lost before it stands above it, and beside it who went on. */
export const SPLIT = "grid gap-x-9 min-[1101px]:grid-cols-[minmax(0,1fr)_340px]";
/** Name, scale, reached, before, of step 1, took. */
export const COLUMNS =
  "grid items-center gap-x-3 grid-cols-[minmax(0,1fr)_52px_52px_84px] min-[701px]:grid-cols-[216px_minmax(0,1fr)_52px_52px_50px_124px]";
const TICKS = [0, 25, 50, 75, 100];

/** What is said while a step is moved. */
const SAID = {
  screenReaderInstructions: {
    draggable: "Space takes the step up and puts it down, the arrow keys move it, Escape leaves it where it was.",
  },
  announcements: {
    onDragStart: ({ active }) => `${capital(active.id)} is taken up.`,
    onDragOver: ({ active, over }) =>
      over && over.id !== active.id ? `${capital(active.id)} is at the place of ${String(over.id)}.` : undefined,
    onDragEnd: ({ active, over }) => (over ? `${capital(active.id)} was put at the place of ${String(over.id)}.` : undefined),
    onDragCancel: ({ active }) => `${capital(active.id)} stays where it was.`,
  },
} satisfies ComponentProps<typeof DndContext>["accessibility"];
const capital = (id: string | number) => String(id).replace("step", "Step");

interface FunnelStepsProps {
  funnel: Funnel;
  result: Schemas["FunnelResult"];
  rows: readonly FunnelRow[];
  dimension: string | null;
  /** The step whose course is shown. */
  chosen: number;
  onChoose: (step: number) => void;
  /** Opens a share that went on, or a time. */
  onOpen: (opened: OpenedStepFigure) => void;
  set: (to: Partial<Funnel>) => void;
}

/** The steps one below the other on a common scale, with what was lost between them, and how many went on by the values of a dimension. */
export function FunnelSteps({ funnel, result, rows, dimension, chosen, onChoose, onOpen, set }: FunnelStepsProps) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const { steps } = funnel;
  const worst = worstStep(result.whole);
  const ids = steps.map((_, place) => `step ${place + 1}`);
  const move = (from: number, to: number) => set({ steps: arrayMove(steps, from, to) });
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    const [from, to] = [ids.indexOf(String(active.id)), ids.indexOf(String(over?.id))];
    if (to >= 0 && from !== to) move(from, to);
  };
  return (
    <section aria-label="Steps">
      <div className={`${SPLIT} items-end border-b border-ink text-ink-2`} aria-hidden="true">
        <div className={`${COLUMNS} pb-1`}>
          <span>Step</span>
          <span className="relative h-4 text-micro max-[700px]:hidden">
            {TICKS.map((at) => (
              <span
                key={at}
                className={`absolute whitespace-nowrap ${at === 100 ? "-translate-x-full" : "-translate-x-1/2"}`}
                style={{ left: `${at}%` }}
              >
                {at === 100 ? "100 %" : at}
              </span>
            ))}
          </span>
          <span className="text-end">Reached</span>
          <span className="text-end max-[700px]:hidden">Before</span>
          <span className="text-end" title="Share of step 1">
            of 1, %
          </span>
          <span className="text-end">took</span>
        </div>
        {rows.length > 0 && <WentOnHead />}
      </div>
      <DndContext id="funnel" accessibility={SAID} sensors={sensors} collisionDetection={closestCenter} onDragEnd={onDragEnd}>
        <SortableContext items={ids} strategy={verticalListSortingStrategy}>
          <ol>
            {steps.map((match, step) => (
              <StepRow
                key={ids[step]}
                id={ids[step] ?? ""}
                {...{ funnel, result, rows, dimension, match, step, onChoose, onOpen }}
                isWorst={worst === step}
                isChosen={chosen === step}
                onSave={(to) => set({ steps: steps.map((one, place) => (place === step ? to : one)) })}
                onMove={(by) => move(step, step + by)}
                onRemove={steps.length > 2 ? () => set({ steps: steps.filter((_, place) => place !== step) }) : null}
              />
            ))}
          </ol>
        </SortableContext>
      </DndContext>
      {steps.length < MAX_STEPS && (
        <p className="pt-2">
          <StepEditor
            trigger={<Button kind="link">Add a step</Button>}
            label="A new step"
            match={null}
            note="It comes last; drag it to where it belongs."
            onSave={(to) => set({ steps: [...steps, to] })}
          />
        </p>
      )}
    </section>
  );
}
