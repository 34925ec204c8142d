import { AmountInput } from "../../parts/AmountInput";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ok } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { useDebounced } from "../../parts/hooks";
import { PlanBars } from "../../parts/PlanBars";
import { type Entry, useBook, useEntry } from "./data";
import { EditState, moved, options, OrderButtons, PickMany, PickOne, smallInput, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";

interface PlannedTask {
  title: string;
  team?: string;
  mode?: string;
  phase?: string;
  estimate_minutes?: number;
  cost_pence?: number;
  after?: string[];
  if?: Tree | null;
  runbook?: string;
  inputs?: Record<string, string>;
  outputs?: string[];
}
interface TaskTemplate extends Entry {
  name: string;
  tasks: PlannedTask[];
}

/** Tasks that items, rules and templates bring: in order, by whom, under what condition. */
export const tasks: SectionSpec<TaskTemplate> = {
  section: "tasks",
  title: "Task templates",
  one: "task template",
  about: "Tasks that items, rules and templates add to a ticket together. The outputs of one are inputs of those that come after it.",
  nameOf: (one) => one.name,
  wordsOf: (one) => one.tasks.map((task) => task.title).join(" "),
  freshName: "New tasks",
  columns: [
    { label: "tasks", of: (one) => String(one.tasks.length), isRight: true },
    { label: "teams", of: (one) => [...new Set(one.tasks.map((task) => task.team).filter(Boolean))].join(", ") },
  ],
  bulk: [],
  fresh: [{ label: "New task template", make: (key) => ({ key, name: "New tasks", tasks: [{ title: "Do this first" }] }) }],
  Editor: TaskTemplateEditor,
};

function TaskTemplateEditor({ stored }: { stored: TaskTemplate }) {
  const editing = useEntry<TaskTemplate>("tasks", stored.key, stored);
  const one = editing.value;
  const set = (tasks: PlannedTask[]) => editing.set({ ...one, tasks });
  const replace = (at: number, change: Partial<PlannedTask>) => {
    const old = one.tasks[at];
    if (!old) return;
    const renamed = change.title !== undefined && change.title !== old.title;
    set(
      one.tasks.map((task, index) => {
        const next = index === at ? tidy({ ...task, ...change }) : task;
        // Those that wait for a task go on waiting for it under its new name.
        return renamed && next.after?.includes(old.title)
          ? { ...next, after: next.after.map((title) => (title === old.title ? (change.title ?? title) : title)) }
          : next;
      }),
    );
  };
  return (
    <article aria-label={`Task template ${one.name}`}>
      <EditState editing={editing} />
      <TextInput
        label="Name of the task template"
        isName
        className={`${smallInput} w-72 font-bold`}
        value={one.name}
        onChange={(name) => editing.set({ ...one, name })}
      />
      <ol className="mt-1">
        {one.tasks.map((task, index) => (
          <li key={index} className="border-b border-line py-1.5 last:border-0">
            <div className="flex items-center gap-2">
              <TextInput
                label={`Task ${index + 1}`}
                className={`${smallInput} min-w-0 flex-1 font-semibold`}
                value={task.title}
                onChange={(title) => replace(index, { title })}
              />
              <OrderButtons index={index} count={one.tasks.length} name={task.title} onMove={(to) => set(moved(one.tasks, index, to))} />
              <button
                type="button"
                aria-label={`Remove ${task.title}`}
                className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                onClick={() =>
                  set(
                    one.tasks
                      .filter((_, at) => at !== index)
                      .map((other) => tidy({ ...other, after: other.after?.filter((title) => title !== task.title) ?? [] })),
                  )
                }
              >
                ×
              </button>
            </div>
            <TaskWords
              task={task}
              index={index}
              others={one.tasks.filter((_, at) => at !== index)}
              onChange={(change) => replace(index, change)}
            />
          </li>
        ))}
      </ol>
      <div className="mt-1 flex justify-between">
        <button type="button" className="why text-ink-2" onClick={() => set([...one.tasks, { title: unused("Another task", one.tasks) }])}>
          one more task
        </button>
      </div>
      <PlanPreview tasks={one.tasks} />
    </article>
  );
}

interface TaskWordsProps {
  task: PlannedTask;
  index: number;
  others: PlannedTask[];
  onChange: (change: Partial<PlannedTask>) => void;
}

/** One task as a sentence whose words are the controls. */
function TaskWords({ task, index, others, onChange }: TaskWordsProps) {
  const { words } = useBook();
  const number = index + 1;
  const runbook = words.runbooks.find((one) => one.key === task.runbook);
  const inputs = Object.entries(task.inputs ?? {});
  const setInput = (name: string, value: string) => onChange({ inputs: { ...task.inputs, [name]: value } });
  return (
    <div className="leading-[38px]">
      for{" "}
      <PickOne
        label={`Team of task ${number}`}
        placeholder="any team"
        options={[{ key: "", name: "any team" }, ...options(words.teams)]}
        value={task.team ?? ""}
        onChange={(team) => onChange({ team })}
      />
      , its person found{" "}
      <PickOne
        label={`How task ${number} is assigned`}
        options={options(words.modes)}
        value={task.mode ?? "by hand"}
        onChange={(mode) => onChange({ mode })}
      />
      ; wanted{" "}
      <ConditionSentence
        fields={words.route_fields}
        tree={task.if ?? { all: [] }}
        always="always"
        onChange={(tree) => onChange({ if: "all" in tree && tree.all.length === 0 ? null : tree })}
      />
      ; waits for{" "}
      <PickMany
        label={`What task ${number} waits for`}
        placeholder="nothing"
        options={options(others.map((other) => other.title))}
        value={task.after ?? []}
        onChange={(after) => onChange({ after })}
      />
      ; phase{" "}
      <TextInput
        label={`Phase of task ${number}`}
        className={`${smallInput} w-28`}
        placeholder="none"
        value={task.phase ?? ""}
        onChange={(phase) => onChange({ phase })}
      />
      , about{" "}
      <Amount
        label={`Minutes of task ${number}`}
        value={task.estimate_minutes}
        onChange={(estimate_minutes) => onChange({ estimate_minutes })}
      />{" "}
      min, planned cost{" "}
      <span className="inline-block w-28 align-top">
        <AmountInput
          isMoney
          props={{ "aria-label": `Cost of task ${number}` }}
          className={`${smallInput} w-20`}
          value={task.cost_pence === undefined ? null : task.cost_pence / 100}
          onChange={(amount) => onChange({ cost_pence: amount === null ? undefined : Math.round(amount * 100) })}
        />
      </span>
      ; done{" "}
      <PickOne
        label={`Who does task ${number}`}
        options={[{ key: "", name: "by hand" }, ...words.runbooks.map(({ key, name }) => ({ key, name: `by itself: ${name}` }))]}
        value={task.runbook ?? ""}
        onChange={(key) =>
          onChange({
            runbook: key,
            inputs: Object.fromEntries(
              Object.keys(words.runbooks.find((one) => one.key === key)?.inputs ?? {}).map((name) => [name, task.inputs?.[name] ?? ""]),
            ),
          })
        }
      />
      . It reads {inputs.length === 0 && !runbook ? "nothing" : null}
      {inputs.map(([name, value]) => (
        <span key={name} className="mr-2 whitespace-nowrap">
          {runbook ? (
            <span>{runbook.inputs[name] ?? name}</span>
          ) : (
            <TextInput
              label={`Name of an input of task ${number}`}
              className={`${smallInput} w-28`}
              value={name}
              onChange={(next) =>
                onChange({ inputs: Object.fromEntries(inputs.map(([old, words_]) => [old === name ? next : old, words_])) })
              }
            />
          )}{" "}
          ={" "}
          <TextInput
            label={`${name} of task ${number}`}
            className={`${smallInput} w-36 font-mono`}
            placeholder="{field}"
            value={value}
            onChange={(next) => setInput(name, next)}
          />
          {runbook ? null : (
            <button
              type="button"
              aria-label={`Task ${number} does not read ${name}`}
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => onChange({ inputs: Object.fromEntries(inputs.filter(([other]) => other !== name)) })}
            >
              ×
            </button>
          )}
        </span>
      ))}
      {runbook ? null : (
        <button
          type="button"
          className="why ml-1 text-ink-2"
          aria-label={`One more input of task ${number}`}
          onClick={() => setInput(`input ${inputs.length + 1}`, "")}
        >
          + one more
        </button>
      )}
      ; outputs <Names label={`Outputs of task ${number}`} value={task.outputs ?? []} onChange={(outputs) => onChange({ outputs })} />.
    </div>
  );
}

/** Names with commas between them, taken over when one leaves the field. */
function Names({ label, value, onChange }: { label: string; value: string[]; onChange: (value: string[]) => void }) {
  const shown = value.join(", ");
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const settle = () => {
    const names = [
      ...new Set(
        text
          .split(",")
          .map((one) => one.trim())
          .filter(Boolean),
      ),
    ];
    setText(names.join(", "));
    if (names.join() !== value.join()) onChange(names);
  };
  return (
    <input
      aria-label={label}
      className={`${smallInput} w-40`}
      placeholder="nothing"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={settle}
      onKeyDown={(event) => (event.key === "Enter" ? settle() : undefined)}
    />
  );
}

function unused(title: string, tasks: PlannedTask[]): string {
  for (let n = 1; ; n += 1) {
    const found = n === 1 ? title : `${title} ${n}`;
    if (!tasks.some((task) => task.title === found)) return found;
  }
}

function Amount({ label, value, onChange }: { label: string; value: number | undefined; onChange: (value: number | undefined) => void }) {
  return (
    <input
      type="number"
      min={0}
      step={1}
      aria-label={label}
      className={`${smallInput} w-[72px]`}
      value={value === undefined ? "" : value}
      onChange={(event) => onChange(event.target.value === "" ? undefined : Math.max(0, Math.round(+event.target.value)))}
    />
  );
}

/** What is at rest is left out, so that an entry edited there and back is as it was. */
function tidy(task: PlannedTask): PlannedTask {
  const kept = Object.entries(task).filter(([name, value]: [string, unknown]) => {
    if (name === "title") return true;
    if (name === "mode") return value !== "by hand";
    if (Array.isArray(value)) return value.length > 0;
    if (value !== null && typeof value === "object") return Object.keys(value).length > 0;
    return value !== undefined && value !== null && value !== "" && value !== 0;
  });
  return Object.fromEntries(kept) as unknown as PlannedTask;
}

function PlanPreview({ tasks }: { tasks: PlannedTask[] }) {
  const late = useDebounced(JSON.stringify(tasks), 400);
  const { data } = useQuery({
    queryKey: ["task-plan", late],
    queryFn: () => ok(api.POST("/api/rulebook/task-plan", { body: { tasks: JSON.parse(late) as never } })),
    placeholderData: (old) => old,
  });
  if (!data) return null;
  return (
    <>
      {data.wrong.map((says) => (
        <p key={says} role="alert" className="mt-1 font-semibold text-rust">
          {says}
        </p>
      ))}
      {data.length_minutes > 0 ? (
        <section aria-label="Plan" className="mt-2 border-t border-line pt-2">
          <h3 className="text-[13px] text-ink-2">Plan, when all are wanted: {data.length_minutes} min; in gold what decides the end</h3>
          <PlanBars
            length={data.length_minutes}
            rows={data.rows.map((row) => ({
              ...row,
              words: `after ${row.earliest[0] ?? 0} min${row.is_critical ? "" : `, at most ${row.latest[0] ?? 0}`}`,
            }))}
          />
        </section>
      ) : null}
    </>
  );
}
