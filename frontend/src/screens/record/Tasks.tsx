import { money } from "../../parts/money";
import { useState } from "react";
import { api, ok, type Task, type Ticket } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { DoneDialog } from "../../parts/DoneDialog";
import { PlanBars } from "../../parts/PlanBars";
import { when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { Panel } from "./Panel";
import { TaskDialog } from "./TaskDialog";
import { useTicketWrite } from "../../parts/useTicketWrite";

/** Tasks in their order: what is ready, what waits for what, who has it. */
export function Tasks({ ticket, canEdit, canFollowUp }: { ticket: Ticket; canEdit: boolean; canFollowUp: boolean }) {
  const now = useNow();
  const [editing, setEditing] = useState<Task | "new" | "follow-up" | null>(null);
  const [doing, setDoing] = useState<Task | null>(null);
  const { write, isBusy } = useTicketWrite(ticket.id);
  const titles = new Map(ticket.tasks.map((task) => [task.id, task.title]));
  const isOpen = new Map(ticket.tasks.map((task) => [task.id, task.state === "open"]));
  const planned = ticket.tasks.filter((task) => !task.outlives);
  const followUps = ticket.tasks.filter((task) => task.outlives);
  const left = planned.filter((task) => task.state === "open").length;
  const total = ticket.tasks.reduce((sum, task) => sum + task.estimate_minutes, 0);
  const counted = ticket.tasks.filter((task) => task.state !== "skipped");
  const cost = counted.reduce((sum, task) => sum + task.cost_pence, 0);
  const spent = counted.reduce((sum, task) => sum + (task.spent_pence ?? 0), 0);
  const set = (task: Task, state: "open" | "done" | "skipped") =>
    void write(
      ok(api.POST("/api/tickets/{number}/tasks/{task}", { params: { path: { number: ticket.id, task: task.id } }, body: { state } })),
      state === "done" ? "Done." : state === "skipped" ? "Not needed." : "Open again.",
    );
  if (ticket.tasks.length === 0 && !canEdit && !canFollowUp) return null;
  const rows = (tasks: Task[], isFree: boolean) => (
    <ul>
      {tasks.map((task) => {
        const waits = task.after.filter((other) => isOpen.get(other)).map((other) => titles.get(other) ?? "");
        return (
          <li key={task.id} className="group flex items-baseline gap-2 py-0.5">
            <input
              type="checkbox"
              id={`task-${task.id}`}
              disabled={isBusy || (waits.length > 0 && task.state === "open") || (!isFree && task.state === "open")}
              checked={task.state === "done"}
              onChange={(event) =>
                event.target.checked && (task.outputs.length > 0 || task.cost_pence > 0)
                  ? setDoing(task)
                  : set(task, event.target.checked ? "done" : "open")
              }
            />
            <label htmlFor={`task-${task.id}`} className="min-w-0 flex-1">
              <span className={task.state === "open" ? (waits.length > 0 ? "text-ink-2" : "") : "text-ink-2 line-through"}>
                {task.title}
              </span>
              <span className="block text-[13px] text-ink-2">
                {[
                  task.person?.name ?? task.team?.name ?? "unassigned",
                  task.mode && !task.person && task.state === "open" ? `assigned ${task.mode}` : "",
                  task.phase,
                  task.is_automatic && task.state === "open" ? "runs by itself" : "",
                  task.state === "skipped" ? "skipped" : "",
                  task.done_by ? `done by ${task.done_by}` : "",
                  waits.length > 0 ? `after ${waits.join(", ")}` : "",
                  task.state === "open" && task.due_s ? `due ${when(task.due_s, now)}` : "",
                  task.estimate_minutes ? `${task.estimate_minutes} min` : "",
                  costWords(task),
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
              <Flow task={task} />
            </label>
            {isFree ? (
              <button
                type="button"
                className="min-h-[24px] px-1 text-[13px] text-ink-2 underline hover:text-ink"
                aria-label={`Change the task ${task.title}`}
                onClick={() => setEditing(task)}
              >
                change
              </button>
            ) : null}
          </li>
        );
      })}
    </ul>
  );
  return (
    <Panel
      title="Tasks"
      note={
        planned.length > 0
          ? [
              left > 0 ? `${left} to go` : "all are done: ready to resolve",
              total > 0 ? `${total} min planned` : "",
              cost > 0 ? `${money(cost)} planned` : "",
              spent > 0 ? `${money(spent)} spent` : "",
            ]
              .filter(Boolean)
              .join(" · ")
          : undefined
      }
    >
      {rows(planned, canEdit)}
      {ticket.plan ? <Plan plan={ticket.plan} /> : null}
      {followUps.length > 0 ? (
        <>
          <h3 className="mt-2 text-[13px] text-ink-2">Follow-ups, whether this has ended or not</h3>
          {rows(followUps, canFollowUp)}
        </>
      ) : null}
      <span className="-ml-2 flex flex-wrap">
        {canEdit ? (
          <Button tone="quiet" onClick={() => setEditing("new")}>
            + Task
          </Button>
        ) : null}
        {canFollowUp ? (
          <Button tone="quiet" onClick={() => setEditing("follow-up")}>
            + Follow-up
          </Button>
        ) : null}
      </span>
      {doing ? <DoneDialog number={ticket.id} task={doing} onClose={() => setDoing(null)} /> : null}
      {editing ? (
        <TaskDialog
          ticket={ticket}
          task={typeof editing === "string" ? null : editing}
          isFollowUp={editing === "follow-up" || (typeof editing !== "string" && editing.outlives)}
          onClose={() => setEditing(null)}
        />
      ) : null}
    </Panel>
  );
}

function costWords(task: Task): string {
  const planned = task.cost_pence ? money(task.cost_pence) : "";
  return task.spent_pence === null ? planned : `${money(task.spent_pence)} spent${planned ? ` of ${planned}` : ""}`;
}

/** What a task reads from the answers and from tasks before it, and what came of it. */
function Flow({ task }: { task: Task }) {
  const known = [...task.inputs.filter((one) => one.value), ...task.outputs.filter((one) => one.value)];
  if (known.length === 0 && task.only_if === "") return null;
  return (
    <span className="block text-[13px]">
      {task.only_if ? <span className="mr-3 text-ink-2">only if {task.only_if}</span> : null}
      {known.map((one) => (
        <span key={one.name} className="mr-3">
          <span className="text-ink-2">{one.name}</span> <b>{one.value}</b>
        </span>
      ))}
    </span>
  );
}

/** When each task can and must begin, drawn; those that decide the end stand out. */
function Plan({ plan }: { plan: NonNullable<Ticket["plan"]> }) {
  const now = useNow();
  return (
    <details className="mt-1">
      <summary className="cursor-pointer text-[13px] text-ink-2">
        Plan: {plan.length_minutes} min, there {when(plan.ends_s, now)} at the earliest
      </summary>
      <PlanBars
        length={plan.length_minutes}
        rows={plan.rows.map((row) => ({
          ...row,
          words: row.is_critical
            ? `${when(row.earliest_s, now)}, decides the end`
            : `${when(row.earliest_s, now)} to ${when(row.latest_s, now)}`,
        }))}
      />
    </details>
  );
}
