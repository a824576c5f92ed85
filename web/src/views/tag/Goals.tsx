import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type StoredGoal } from "@/api/client";
import { countedQuery } from "@/app/queries";
import { useSave } from "@/app/useSave";
import { Confirm } from "@/ui/Dialog";
import { Heads } from "@/pieces/Heads";
import { LedgerToCome } from "@/pieces/Ledger";
import { ErrorState } from "@/pieces/ErrorState";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { GoalForm } from "@/views/tag/GoalForm";
import { figure, plural, symbol } from "@/words/format";
import { goalWords, worthWords } from "@/words/goals";

/** What counts as a conversion. */
export function Goals() {
  const { site, goals, ready, trouble, again } = useView();
  const counted = useQuery(countedQuery(site.key));
  const canEdit = site.role !== "viewer";
  const [open, setOpen] = useState<StoredGoal | "new" | null>(null);
  const [dropping, setDropping] = useState<StoredGoal | null>(null);
  const [dropped, setDropped] = useState<StoredGoal | null>(null);
  const path = (goal: number) => ({ params: { path: { site: site.key, goal } } });
  const drop = useSave(
    (goal: StoredGoal) => ask(client.DELETE("/api/v1/sites/{site}/goals/{goal}", path(goal.id))),
    (_, goal) => {
      setDropped(goal);
      setDropping(null);
      setOpen(null);
    },
  );
  const restore = useSave(
    (goal: StoredGoal) => ask(client.POST("/api/v1/sites/{site}/goals/{goal}/restore", path(goal.id))),
    () => setDropped(null),
  );
  if (trouble) return <ErrorState error={trouble} again={again} />;
  if (counted.isError) return <ErrorState error={counted.error} again={() => void counted.refetch()} />;
  const of = (goal: StoredGoal) => counted.data?.find((one) => one.id === goal.id);
  return (
    <div className="tag sides">
      <h1 className="answer" aria-busy={!ready}>
        {!ready
          ? " "
          : goals.length
            ? `${plural(goals.length, "goal")} to steer by; the first is steered by unless another is chosen.`
            : "Nothing counts as a conversion yet."}
      </h1>
      <section aria-label="Goals">
        {!ready && <LedgerToCome rows={4} />}
        {ready && goals.length === 0 && (
          <p className="empty">
            A goal is a page that is reached, an event, or an order. Make the first one, and every screen can be read against it.
          </p>
        )}
        {goals.length > 0 && (
          <div className="ledger-box">
            <table className="hits events">
              <Heads heads={["Goal", "Counts", { num: "In 30 days" }, { num: `Value, ${symbol(site.currency)}` }]} />
              <tbody>
                {goals.map((goal) => (
                  <tr key={goal.id} aria-current={open !== "new" && open?.id === goal.id ? "true" : undefined}>
                    <td>
                      <Button kind="link" onClick={() => setOpen(goal)}>
                        {goal.name}
                      </Button>
                    </td>
                    <td className="wrap">
                      {goalWords(goal.goal)} <span className="quiet">worth {worthWords(goal.goal, site.currency)}</span>
                    </td>
                    <td className="num lead">{figure(of(goal)?.conversions, "count")}</td>
                    <td className="num">{of(goal)?.value ? figure(of(goal)?.value, "money") : ""}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        <div className="end">
          {canEdit && (
            <Button kind="primary" onClick={() => setOpen("new")}>
              Make a goal
            </Button>
          )}
          {dropped && (
            <p role="status">
              {dropped.name} was archived. <Button onClick={() => restore.mutate(dropped)}>Restore</Button>
            </p>
          )}
          {(drop.error ?? restore.error) && (
            <p className="wrong" role="alert">
              {(drop.error ?? restore.error)?.message}
            </p>
          )}
        </div>
      </section>
      {open ? (
        <GoalForm
          key={open === "new" ? "new" : open.id}
          stored={open === "new" ? null : open}
          onDone={() => setOpen(null)}
          onDrop={() => open !== "new" && setDropping(open)}
        />
      ) : (
        <p className="quiet">Open a goal to read what it counted, and to change it. A change re-reads history.</p>
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
    </div>
  );
}
