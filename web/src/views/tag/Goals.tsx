import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { Part, Sides } from "@/ui/layout";
import { ask, client, type StoredGoal } from "@/api/client";
import { archivedGoalsQuery, countedQuery } from "@/api/queries";
import { useSave } from "@/api/useSave";
import { useLeave } from "@/forms/leaving";
import { Confirm } from "@/ui/Dialog";
import { FieldError } from "@/ui/Field";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { actionColumn } from "@/ledger/actionColumn";
import { List } from "@/ledger/List";
import { LongText } from "@/ledger/LongText";
import { EmptyNote, ViewError } from "@/ui/states";
import { can } from "@/state/can";
import { lastDays } from "@/state/days";
import { useSite } from "@/state/site";
import { Actions, Answer, Title } from "@/ui/text";
import { notify } from "@/ui/Toast";
import { Button } from "@/ui/Button";
import { GoalForm } from "@/views/tag/GoalForm";
import { OpenedCell } from "@/views/shared/OpenedCell";
import { figure, plural, symbol } from "@/words/format";
import { goalWords, worthWords } from "@/words/goals";

/** The order in which they were made: the first is steered by. */
const NO_SORT = { by: "", descending: false };

/** What counts as a conversion. */
export function Goals() {
  const { site, goals, ready, trouble, again } = useSite();
  const counted = useQuery(countedQuery(site.key));
  const canEdit = can(site, "edit");
  const leave = useLeave();
  const [open, setOpen] = useState<StoredGoal | "new" | null>(null);
  const [dropping, setDropping] = useState<StoredGoal | null>(null);
  const archived = useQuery(archivedGoalsQuery(site.key));
  const path = (goal: number) => ({ params: { path: { site: site.key, goal } } });
  const restore = useSave("everything", (goal: StoredGoal) => ask(client.POST("/api/v1/sites/{site}/goals/{goal}/restore", path(goal.id))));
  const drop = useSave(
    "everything",
    (goal: StoredGoal) => ask(client.DELETE("/api/v1/sites/{site}/goals/{goal}", path(goal.id))),
    (_, goal) => {
      setDropping(null);
      setOpen(null);
      notify(`${goal.name} was archived.`, () => restore.mutate(goal));
    },
  );
  if (trouble) return <ViewError error={trouble} again={again} />;
  if (counted.isError) return <ViewError error={counted.error} again={() => void counted.refetch()} />;
  const { first: from, last: to } = lastDays(site.today, 30);
  const of = (goal: StoredGoal) => counted.data?.find((one) => one.id === goal.id);
  return (
    <Sides>
      <Answer aria-busy={!ready}>
        {!ready
          ? " "
          : goals.length
            ? `${plural(goals.length, "goal")} to steer by; the first is steered by unless another is chosen.`
            : "Nothing counts as a conversion yet."}
      </Answer>
      <Part isWide aria-label="Goals">
        {!ready && <LedgerSkeleton rows={4} />}
        {ready && goals.length === 0 && (
          <EmptyNote>
            A goal is a page that is reached, an event, or an order. Make the first one, and every screen can be read against it.
          </EmptyNote>
        )}
        {goals.length > 0 && (
          <List
            name="Goals"
            what="a goal"
            rows={goals}
            rowId={(goal) => String(goal.id)}
            sort={NO_SORT}
            isCurrent={(goal) => open !== "new" && open?.id === goal.id}
            columns={[
              {
                id: "goal",
                head: "Goal",
                hasControl: true,
                value: (goal) => goal.name,
                cell: (goal, control) => (
                  <Button kind="link" onClick={() => leave(() => setOpen(goal))} {...control}>
                    {goal.name}
                  </Button>
                ),
              },
              {
                id: "counts",
                head: "Counts",
                width: 290,
                isWrapped: true,
                value: (goal) => `${goalWords(goal.goal)} worth ${worthWords(goal.goal, site.currency)}`,
                cell: (goal) => (
                  <>
                    {goalWords(goal.goal)} <span className="text-ink-2">worth {worthWords(goal.goal, site.currency)}</span>
                  </>
                ),
              },
              {
                id: "conversions",
                head: "In 30 days",
                width: 86,
                isNumber: true,
                isLead: true,
                hasControl: true,
                value: (goal) => of(goal)?.conversions ?? null,
                cell: (goal, control) => (
                  <OpenedCell
                    row={goal.name}
                    text={figure(of(goal)?.conversions, "count")}
                    opened={{ measure: "conversions", title: goal.name, under: { from, to, goal: goal.id } }}
                    control={control}
                  />
                ),
              },
              {
                id: "value",
                head: "Value",
                unit: `, ${symbol(site.currency)}`,
                width: 86,
                isNumber: true,
                value: (goal) => of(goal)?.value || null,
                hasControl: true,
                cell: (goal, control) => (
                  <OpenedCell
                    row={goal.name}
                    text={of(goal)?.value ? figure(of(goal)?.value, "money") : ""}
                    opened={{ measure: "value", title: "Value", under: { from, to, goal: goal.id } }}
                    control={control}
                  />
                ),
              },
            ]}
          />
        )}
        <Actions>
          {canEdit && (
            <Button kind="primary" onClick={() => leave(() => setOpen("new"))}>
              Make a goal
            </Button>
          )}
          {(drop.error ?? restore.error) && <FieldError>{(drop.error ?? restore.error)?.detail}</FieldError>}
        </Actions>
        {(archived.data?.length ?? 0) > 0 && (
          <section aria-label="Archived" className="mt-3 grid gap-1">
            <Title>Archived</Title>
            <List
              name="Archived goals"
              what="an archived goal"
              rows={archived.data ?? []}
              rowId={(goal) => String(goal.id)}
              sort={NO_SORT}
              columns={[
                { id: "goal", head: "Goal", value: (goal) => goal.name, cell: (goal) => <LongText text={goal.name} /> },
                { id: "counts", head: "Counted", width: 370, isWrapped: true, value: (goal) => goalWords(goal.goal) },
                ...(canEdit
                  ? [
                      actionColumn<StoredGoal>({
                        verb: "Restore",
                        label: (goal) => `Restore ${goal.name}`,
                        width: 66,
                        isBusy: restore.isPending,
                        onDo: restore.mutate,
                      }),
                    ]
                  : []),
              ]}
            />
          </section>
        )}
      </Part>
      {open ? (
        <GoalForm
          key={open === "new" ? "new" : open.id}
          stored={open === "new" ? null : open}
          onDone={() => setOpen(null)}
          onDrop={() => open !== "new" && setDropping(open)}
        />
      ) : (
        <p className="text-ink-2">Open a goal to read what it counted, and to change it. A change re-reads history.</p>
      )}
      <Confirm
        open={dropping !== null}
        title={`Archive ${dropping?.name ?? "the goal"}?`}
        verb="Archive"
        busy={drop.isPending}
        onDo={() => dropping && drop.mutate(dropping)}
        onClose={() => setDropping(null)}
      >
        No screen can be read against it then. Nothing that was collected is lost, and it can be restored.
      </Confirm>
    </Sides>
  );
}
