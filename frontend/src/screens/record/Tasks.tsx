import { AmountInput } from "../../parts/AmountInput";
import { money } from "../../parts/money";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, type Task, type Ticket } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { DoneDialog } from "../../parts/DoneDialog";
import { PlanBars } from "../../parts/PlanBars";
import { PersonPicker } from "../../parts/PersonPicker";
import { instantOfLocal, localInput, when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Panel } from "./Panel";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { WhenInput } from "../../parts/WhenInput";

/** Tasks in their order: what is ready, what waits for what, who has it. */
export function Tasks({ ticket, canEdit }: { ticket: Ticket; canEdit: boolean }) {
  const now = useNow();
  const [editing, setEditing] = useState<Task | "new" | null>(null);
  const [doing, setDoing] = useState<Task | null>(null);
  const { write, isBusy } = useTicketWrite(ticket.id);
  const titles = new Map(ticket.tasks.map((task) => [task.id, task.title]));
  const isOpen = new Map(ticket.tasks.map((task) => [task.id, task.state === "open"]));
  const left = ticket.tasks.filter((task) => task.state === "open").length;
  const total = ticket.tasks.reduce((sum, task) => sum + task.estimate_minutes, 0);
  const counted = ticket.tasks.filter((task) => task.state !== "skipped");
  const cost = counted.reduce((sum, task) => sum + task.cost_pence, 0);
  const spent = counted.reduce((sum, task) => sum + (task.spent_pence ?? 0), 0);
  const set = (task: Task, state: "open" | "done" | "skipped") =>
    void write(
      ok(api.POST("/api/tickets/{number}/tasks/{task}", { params: { path: { number: ticket.id, task: task.id } }, body: { state } })),
      state === "done" ? "Done." : state === "skipped" ? "Not needed." : "Open again.",
    );
  if (ticket.tasks.length === 0 && !canEdit) return null;
  return (
    <Panel
      title="Tasks"
      note={
        ticket.tasks.length > 0
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
      <ul>
        {ticket.tasks.map((task) => {
          const waits = task.after.filter((other) => isOpen.get(other)).map((other) => titles.get(other) ?? "");
          return (
            <li key={task.id} className="group flex items-baseline gap-2 py-0.5">
              <input
                type="checkbox"
                id={`task-${task.id}`}
                disabled={isBusy || (waits.length > 0 && task.state === "open") || (!canEdit && task.state === "open")}
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
              {canEdit ? (
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
      {ticket.plan ? <Plan plan={ticket.plan} /> : null}
      {canEdit ? (
        <Button tone="quiet" className="-ml-2" onClick={() => setEditing("new")}>
          + Task
        </Button>
      ) : null}
      {doing ? <DoneDialog number={ticket.id} task={doing} onClose={() => setDoing(null)} /> : null}
      {editing ? <TaskDialog ticket={ticket} task={editing === "new" ? null : editing} onClose={() => setEditing(null)} /> : null}
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

function TaskDialog({ ticket, task, onClose }: { ticket: Ticket; task: Task | null; onClose: () => void }) {
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const [title, setTitle] = useState(task?.title ?? "");
  const [team, setTeam] = useState(task?.team ? String(task.team.id) : String(ticket.facts.team.id));
  const [person, setPerson] = useState(task?.person ?? null);
  const [typed, setTyped] = useState("");
  const [after, setAfter] = useState<number[]>(task?.after ?? []);
  const [estimate, setEstimate] = useState(task?.estimate_minutes ? String(task.estimate_minutes) : "");
  const [cost, setCost] = useState(task?.cost_pence ? String(task.cost_pence / 100) : "");
  const [phase, setPhase] = useState(task?.phase ?? "");
  const [mode, setMode] = useState(task?.mode ?? "");
  const [outputs, setOutputs] = useState((task?.outputs ?? []).map((one) => one.name).join(", "));
  const [spent, setSpent] = useState(task?.spent_pence ? String(task.spent_pence / 100) : "");
  const [due, setDue] = useState(task?.due_s ? localInput(task.due_s) : "");
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const others = ticket.tasks.filter((other) => other.id !== task?.id);
  const save = async () => {
    const body = {
      title,
      team: team ? +team : null,
      person: person?.id ?? null,
      after,
      estimate_minutes: estimate ? Math.round(+estimate) : 0,
      cost_pence: cost ? Math.round(+cost * 100) : 0,
      due_s: due ? instantOfLocal(due) : null,
      phase,
      mode: person ? ("" as const) : (mode as "in turn" | "least loaded" | ""),
      outputs: outputs
        .split(",")
        .map((one) => one.trim())
        .filter(Boolean),
      ...(task ? { spent_pence: spent ? Math.round(+spent * 100) : null } : {}),
    };
    const path = { number: ticket.id };
    const done = await write(
      task
        ? ok(api.PATCH("/api/tickets/{number}/tasks/{task}", { params: { path: { ...path, task: task.id } }, body }))
        : ok(api.POST("/api/tickets/{number}/tasks", { params: { path }, body })),
      task ? "Task changed." : "Task added.",
    );
    if (done) onClose();
  };
  const remove = async (work: Promise<unknown>, words: string) => {
    if (await write(work, words)) onClose();
  };
  return (
    <Dialog title={task ? "Change the task" : `A task of ${ticket.id}`} about={ticket.title} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="What is to be done" error={fields.title}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={200}
              className={inputClass}
              value={title}
              onChange={(event) => setTitle(event.target.value)}
            />
          )}
        </Field>
        <div className="grid grid-cols-2 gap-3">
          <Field label="Team" error={fields.team}>
            {(props) => (
              <select {...props} className={inputClass} value={team} onChange={(event) => setTeam(event.target.value)}>
                <option value="">no team</option>
                {teams?.map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          {person ? (
            <Field label="Person" error={fields.person}>
              {(props) => (
                <span className="flex gap-2">
                  <input {...props} readOnly className={inputClass} value={person.name ?? ""} />
                  <button type="button" className="min-w-[24px]" aria-label="Nobody" onClick={() => setPerson(null)}>
                    ×
                  </button>
                </span>
              )}
            </Field>
          ) : (
            <PersonPicker
              label="Person"
              name={typed}
              onName={setTyped}
              takesFocus={false}
              onPick={(found) => setPerson({ id: found.id, name: found.name })}
            />
          )}
          <Field label="Minutes, about" error={fields.estimate_minutes}>
            {(props) => (
              <input
                {...props}
                type="number"
                min={0}
                className={inputClass}
                value={estimate}
                onChange={(event) => setEstimate(event.target.value)}
              />
            )}
          </Field>
          {person || !team ? null : (
            <Field label="Assigned by" error={fields.mode}>
              {(props) => (
                <select {...props} className={inputClass} value={mode} onChange={(event) => setMode(event.target.value)}>
                  <option value="">by hand</option>
                  <option value="in turn">in turn</option>
                  <option value="least loaded">by least load</option>
                </select>
              )}
            </Field>
          )}
          <Field label="Phase" error={fields.phase}>
            {(props) => (
              <input {...props} maxLength={40} className={inputClass} value={phase} onChange={(event) => setPhase(event.target.value)} />
            )}
          </Field>
          <Field label="Outputs (names, with commas)" error={fields.outputs}>
            {(props) => (
              <input
                {...props}
                className={inputClass}
                placeholder="nothing to say"
                value={outputs}
                onChange={(event) => setOutputs(event.target.value)}
              />
            )}
          </Field>
          <Field label="Cost, planned" error={fields.cost_pence}>
            {(props) => (
              <AmountInput
                isMoney
                props={props}
                value={cost === "" ? null : +cost}
                onChange={(next) => setCost(next === null ? "" : String(next))}
              />
            )}
          </Field>
          {task ? (
            <Field label="Cost, spent" error={fields.spent_pence}>
              {(props) => (
                <AmountInput
                  isMoney
                  props={props}
                  value={spent === "" ? null : +spent}
                  onChange={(next) => setSpent(next === null ? "" : String(next))}
                />
              )}
            </Field>
          ) : null}
          <Field label="Due" error={fields.due_s}>
            {(props) => <WhenInput props={props} value={due} onChange={(next) => setDue(next)} />}
          </Field>
        </div>
        {others.length > 0 ? (
          <fieldset>
            <legend className="font-semibold text-ink-2">Only after</legend>
            {others.map((other) => (
              <label key={other.id} className="flex items-center gap-1.5 py-0.5">
                <input
                  type="checkbox"
                  checked={after.includes(other.id)}
                  onChange={() => setAfter(after.includes(other.id) ? after.filter((id) => id !== other.id) : [...after, other.id])}
                />
                {other.title}
              </label>
            ))}
            {fields.after ? <p className="text-rust">{problem}</p> : null}
          </fieldset>
        ) : null}
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{problem}</ErrorNote> : null}
        <div className="flex flex-wrap justify-end gap-2">
          {task ? (
            <>
              {task.state === "open" ? (
                <Button
                  tone="quiet"
                  onClick={() =>
                    void remove(
                      ok(
                        api.POST("/api/tickets/{number}/tasks/{task}", {
                          params: { path: { number: ticket.id, task: task.id } },
                          body: { state: "skipped" },
                        }),
                      ),
                      "Skipped.",
                    )
                  }
                >
                  Skip it
                </Button>
              ) : null}
              <Button
                tone="quiet"
                className="mr-auto"
                onClick={() =>
                  void remove(
                    ok(api.DELETE("/api/tickets/{number}/tasks/{task}", { params: { path: { number: ticket.id, task: task.id } } })),
                    "Removed.",
                  )
                }
              >
                Take it away
              </Button>
            </>
          ) : null}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            {task ? "Save" : "Add it"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
