import { useState } from "react";
import { api, ok, type Ticket } from "../../api/client";
import { findColleagues } from "../../parts/ColleaguePicker";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, ErrorNote, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { OnlyIf } from "./OnlyIf";
import { StepRunbook, useRunbooks } from "./StepRunbook";
import { minutes, PART, type Step } from "./words";

const PARTS = ["implement", "test", "back out"] as const;

/** The plan: what is done, how it is tested, how it is undone; written in place. */
export function PlanPanel({ ticket, now }: { ticket: Ticket; now: number }) {
  const [isOpen, setOpen] = useState(false);
  const runbooks = useRunbooks();
  const change = ticket.change;
  if (!change) return null;
  const canEdit = change.is_editable && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const { turn_back_s: turnBack } = change.assessment;
  return (
    <section id="plan" aria-label="Plan" className="mb-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h2 className="flex font-bold">
        Plan
        <span className="ml-auto text-[13px] font-normal text-ink-2">
          {change.steps.length > 0 ? minutes(change.assessment.minutes) : ""}
          {change.as_tasks ? ", as tasks" : ""}
          {turnBack ? `, turn back by ${when(turnBack, now)}` : ""}
        </span>
      </h2>
      {isOpen ? (
        <Edit ticket={ticket} steps={change.steps} onDone={() => setOpen(false)} />
      ) : (
        <>
          {change.steps.length === 0 ? <p className="text-ink-2">Nothing is written yet.</p> : null}
          {PARTS.map((part) => {
            const rows = change.steps.filter((step) => step.part === part);
            if (rows.length === 0) return null;
            const first = part === "back out" ? 0 : change.steps.filter((step) => step.part === "implement").length;
            return (
              <div key={part} className="mt-1">
                <h3 className="border-b border-line font-semibold">
                  {PART[part]}{" "}
                  <span className="text-[13px] font-normal text-ink-2">{minutes(rows.reduce((sum, one) => sum + one.minutes, 0))}</span>
                </h3>
                <ol>
                  {rows.map((step, index) => (
                    <li key={step.id} className="flex items-baseline gap-2 border-b border-line py-1 last:border-0">
                      <span
                        className={`grid h-[20px] w-[22px] shrink-0 place-items-center rounded-[4px] text-[12px] font-bold ${part === "back out" ? "border border-dashed border-ink" : part === "test" ? "bg-ink-2 text-sheet" : "bg-sea text-on-sea"}`}
                        aria-hidden="true"
                      >
                        {part === "back out" ? String.fromCharCode(65 + index) : (part === "test" ? first : 0) + index + 1}
                      </span>
                      <span className="min-w-0 flex-1">
                        {step.says}
                        {step.outputs.length > 0 ? (
                          <span className="text-[13px] text-ink-2"> outputs: {step.outputs.join(", ")}</span>
                        ) : null}
                        {step.only_if.output ? (
                          <span className="text-[13px] text-ink-2">
                            {" "}
                            only if {step.only_if.output} is {step.only_if.is}
                          </span>
                        ) : null}
                      </span>
                      <span className="text-ink-2">
                        {step.runbook
                          ? `by itself: ${runbooks.find((one) => one.key === step.runbook)?.name ?? "a runbook that is gone"}`
                          : step.name}
                      </span>
                      <span className="w-[64px] text-right tabular-nums">{minutes(step.minutes)}</span>
                    </li>
                  ))}
                </ol>
              </div>
            );
          })}
          {canEdit ? (
            <p className="mt-1.5">
              <Button onClick={() => setOpen(true)}>{change.steps.length === 0 ? "Write the plan" : "Edit the plan"}</Button>
            </p>
          ) : null}
        </>
      )}
    </section>
  );
}

type Row = Pick<Step, "id" | "part" | "says" | "who" | "name" | "minutes" | "runbook" | "inputs" | "outputs" | "only_if">;

function Edit({ ticket, steps, onDone }: { ticket: Ticket; steps: Row[]; onDone: () => void }) {
  const draft = useDraft<{ rows: Row[]; asTasks: boolean }>(`plan-${ticket.id}`, {
    rows: steps,
    asTasks: ticket.change?.as_tasks ?? false,
  });
  const runbooks = useRunbooks();
  const { write, isBusy, problem } = useTicketWrite(ticket.id, true);
  // A draft from before steps had conditions has none.
  const rows = draft.body.rows.map((row) => ({ ...row, only_if: (row.only_if as Row["only_if"] | undefined) ?? { output: "", is: "" } }));
  const set = (next: Row[]) => draft.set({ rows: next });
  const change = (id: string, some: Partial<Row>) => set(rows.map((row) => (row.id === id ? { ...row, ...some } : row)));
  const add = (part: string) => {
    const id = `n${Date.now().toString(36)}`;
    set([
      ...rows,
      { id, part, says: "", who: "", name: "", minutes: 15, runbook: "", inputs: {}, outputs: [], only_if: { output: "", is: "" } },
    ]);
    requestAnimationFrame(() => document.getElementById(`step-${id}`)?.focus());
  };
  const move = (row: Row, by: number) => {
    const same = rows.filter((one) => one.part === row.part);
    const other = same[same.indexOf(row) + by];
    if (!other) return;
    set(rows.map((one) => (one === row ? other : one === other ? row : one)));
  };
  const save = async () => {
    const kept = rows
      .filter((row) => row.says.trim() !== "")
      .map(({ name: _name, minutes: took, ...kept }) => ({ ...kept, minutes: took }));
    const body = { steps: kept, as_tasks: draft.body.asTasks, version: ticket.version };
    const done = await write(
      ok(api.PATCH("/api/changes/{number}", { params: { path: { number: ticket.id } }, body })),
      "The plan is saved.",
    );
    if (done) {
      draft.clear();
      onDone();
    }
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (!isBusy) void save();
      }}
    >
      {PARTS.map((part) => (
        <fieldset key={part} className="mt-2">
          <legend className="font-semibold">{PART[part]}</legend>
          <ol>
            {rows
              .filter((row) => row.part === part)
              .map((row) => (
                <li key={row.id} className="flex flex-wrap items-center gap-1.5 py-0.5">
                  <input
                    id={`step-${row.id}`}
                    aria-label="What is done"
                    maxLength={200}
                    className={`${inputClass} min-w-[200px] !w-auto flex-1`}
                    value={row.says}
                    onChange={(event) => change(row.id, { says: event.target.value })}
                  />
                  <span className="w-[150px]">
                    <Finder
                      props={{ "aria-label": "Who does it" }}
                      what="Colleagues"
                      find={findColleagues}
                      nothing="Nobody is called that."
                      hint="Who"
                      name={row.name}
                      onName={(name) => change(row.id, { name, who: "" })}
                      onPick={(found) => change(row.id, { name: found.name, who: String(found.id) })}
                    />
                  </span>
                  <input
                    type="number"
                    min={0}
                    max={100000}
                    aria-label="Minutes"
                    className={`${inputClass} !w-[76px] text-right`}
                    value={row.minutes}
                    onChange={(event) => change(row.id, { minutes: Math.max(0, Math.trunc(event.target.valueAsNumber || 0)) })}
                  />
                  <span className="text-[13px] text-ink-2">min</span>
                  <button type="button" className="min-h-[24px] px-1" aria-label="Earlier" onClick={() => move(row, -1)}>
                    ↑
                  </button>
                  <button type="button" className="min-h-[24px] px-1" aria-label="Later" onClick={() => move(row, 1)}>
                    ↓
                  </button>
                  <button
                    type="button"
                    className="min-h-[24px] text-[13px] underline"
                    aria-label={`Remove “${row.says}”`}
                    onClick={() => set(rows.filter((one) => one !== row))}
                  >
                    remove
                  </button>
                  {draft.body.asTasks || ticket.change?.is_release || ticket.change?.release ? (
                    <>
                      <StepRunbook step={row} name={row.says} runbooks={runbooks} onChange={(some) => change(row.id, some)} />
                      <OnlyIf step={row} onChange={(only_if) => change(row.id, { only_if })} />
                    </>
                  ) : null}
                </li>
              ))}
          </ol>
          <button type="button" className="min-h-[24px] text-[13px] underline" onClick={() => add(part)}>
            add a step
          </button>
        </fieldset>
      ))}
      {ticket.change?.is_release ? null : (
        <label className="mt-2 flex min-h-[24px] items-center gap-2">
          <input type="checkbox" checked={draft.body.asTasks} onChange={(event) => draft.set({ asTasks: event.target.checked })} />
          When it begins, its steps become tasks of those who do them
        </label>
      )}
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
      <p className="mt-2 flex gap-2">
        <Button tone="sea" type="submit" disabled={isBusy}>
          Save the plan
        </Button>
        <Button
          onClick={() => {
            draft.clear();
            onDone();
          }}
        >
          Cancel
        </Button>
      </p>
    </form>
  );
}
