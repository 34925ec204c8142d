import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, type Task, type Ticket } from "../../api/client";
import { AmountInput } from "../../parts/AmountInput";
import { PersonPicker } from "../../parts/PersonPicker";
import { instantOfLocal, localInput } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { WhenInput } from "../../parts/WhenInput";

interface DialogProps {
  ticket: Ticket;
  task: Task | null;
  isFollowUp: boolean;
  onClose: () => void;
}

/** Adding a task or a follow-up, or changing one. */
export function TaskDialog({ ticket, task, isFollowUp, onClose }: DialogProps) {
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
  const others = isFollowUp ? [] : ticket.tasks.filter((other) => other.id !== task?.id && !other.outlives);
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
        : isFollowUp
          ? ok(api.POST("/api/tickets/{number}/follow-ups", { params: { path }, body }))
          : ok(api.POST("/api/tickets/{number}/tasks", { params: { path }, body })),
      task ? "Task changed." : "Task added.",
    );
    if (done) onClose();
  };
  const remove = async (work: Promise<unknown>, words: string) => {
    if (await write(work, words)) onClose();
  };
  return (
    <Dialog
      title={task ? "Change the task" : `A ${isFollowUp ? "follow-up" : "task"} of ${ticket.id}`}
      about={isFollowUp ? `${ticket.title}. It may be done after this has ended.` : ticket.title}
      isOpen
      onClose={onClose}
    >
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
          {person || !team || isFollowUp ? null : (
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
          {isFollowUp ? null : (
            <>
              <Field label="Phase" error={fields.phase}>
                {(props) => (
                  <input
                    {...props}
                    maxLength={40}
                    className={inputClass}
                    value={phase}
                    onChange={(event) => setPhase(event.target.value)}
                  />
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
            </>
          )}
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
                Remove
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
