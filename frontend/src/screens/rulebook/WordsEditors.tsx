import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { PersonPicker } from "../../parts/PersonPicker";
import { Button } from "../../parts/ui";
import { type Calendar, entriesOf, type Entry, fieldsOf, keyFrom, useBook, useEdit, useEntry, useReadAgain } from "./data";
import { EditState, options, OrderButtons, Part, PickMany, PickOne, smallInput, SpanInput, TextInput } from "./parts";

type Plain = Entry & Record<string, unknown>;

interface Column {
  name: string;
  label: string;
  /** How it is edited: text, one of some choices, or several. */
  choices?: string[];
  isMany?: boolean;
  placeholder?: string;
  width?: string;
}

interface TableProps {
  section: string;
  about: string;
  columns: Column[];
  fresh: (key: string) => Plain;
  named: string;
}

/** A section whose entries are a row each. */
function TableEditor({ section, about, columns, fresh, named }: TableProps) {
  const { document } = useBook();
  const edit = useEdit();
  const entries = entriesOf<Plain>(document, section);
  const [name, setName] = useState("");
  const isNamed = columns.some((column) => column.name === "key");
  const add = () => {
    const taken = entries.map((one) => one.key);
    if (isNamed && (name.trim() === "" || taken.includes(name.trim()))) return toast.error("Give it a name that is not taken.");
    const key = isNamed ? name.trim() : keyFrom(`new ${named}`, taken);
    edit.mutate({ section, key, before: null, after: fresh(key) });
    setName("");
    return undefined;
  };
  return (
    <>
      <p className="text-ink-2">{about}</p>
      <table className="mt-2 w-full">
        <thead>
          <tr className="border-b border-line text-left text-ink-2">
            {columns.map((column) => (
              <th key={column.name} scope="col" className="py-1 pr-3 font-normal">
                {column.label}
              </th>
            ))}
            <th />
          </tr>
        </thead>
        <tbody>
          {entries.map((one, index) => (
            <TableRow key={one.key} section={section} stored={one} columns={columns} index={index} count={entries.length} />
          ))}
        </tbody>
      </table>
      <p className="mt-3 flex gap-2">
        {isNamed ? <input aria-label={`Name of the new ${named}`} placeholder="Hardware › Printer" className={`${smallInput} w-56`} value={name} onChange={(event) => setName(event.target.value)} /> : null}
        <Button onClick={add}>Add a {named}</Button>
      </p>
    </>
  );
}

function TableRow({ section, stored, columns, index, count }: { section: string; stored: Plain; columns: Column[]; index: number; count: number }) {
  const editing = useEntry<Plain>(section, stored.key, stored);
  const edit = useEdit();
  const one = editing.value;
  const set = (name: string, value: unknown) => editing.set({ ...one, [name]: value });
  return (
    <>
      <tr className="border-b border-line">
        {columns.map((column) => {
          const value = one[column.name];
          const label = `${column.label} of ${stored.key}`;
          return (
            <td key={column.name} className="py-1.5 pr-3">
              {column.name === "key" ? (
                <b>{stored.key}</b>
              ) : column.isMany ? (
                <PickMany label={label} placeholder={column.placeholder ?? "nothing"} options={options(column.choices ?? [])} value={(value as string[] | undefined) ?? []} onChange={(next) => set(column.name, next)} />
              ) : column.choices ? (
                <PickOne label={label} placeholder={column.placeholder ?? "nothing"} options={options(column.choices)} value={(value as string | undefined) ?? ""} onChange={(next) => set(column.name, next)} />
              ) : (
                <TextInput label={label} className={`${smallInput} ${column.width ?? "w-full"}`} value={Array.isArray(value) ? value.join(", ") : String((value as string | undefined) ?? "")} onChange={(text) => set(column.name, Array.isArray(value) ? text.split(",").map((part) => part.trim()).filter(Boolean) : text)} />
              )}
            </td>
          );
        })}
        <td className="w-24 whitespace-nowrap text-right">
          <OrderButtons index={index} count={count} name={stored.key} onMove={(to) => edit.mutate({ section, key: stored.key, before: stored, after: stored, position: to })} />
          <button type="button" aria-label={`Remove ${stored.key}`} className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => edit.mutate({ section, key: stored.key, before: stored, after: null })}>
            ×
          </button>
        </td>
      </tr>
      {editing.theirs !== null || editing.problem ? (
        <tr>
          <td colSpan={columns.length + 1}>
            <EditState editing={editing} />
          </td>
        </tr>
      ) : null}
    </>
  );
}

const STAGES = ["new", "in hand", "waiting", "resolved", "closed", "cancelled"];

export function StatesEditor() {
  return (
    <TableEditor
      section="states"
      named="state"
      about="States of your own within a stage. What they mean – open, waiting, done – follows from the stage."
      columns={[{ name: "label", label: "label" }, { name: "stage", label: "within the stage", choices: STAGES }]}
      fresh={(key) => ({ key, label: key.replaceAll("-", " "), stage: "in hand" })}
    />
  );
}

export function WaitsEditor() {
  const { words } = useBook();
  return (
    <TableEditor
      section="waits"
      named="waiting reason"
      about="What a ticket can wait on, whose move it is then, and who may stop the clock for it. Which clocks pause is said in each agreement."
      columns={[
        { name: "label", label: "label" },
        { name: "on", label: "waits on", choices: ["requester", "supplier", "approval", "date"] },
        { name: "who", label: "who may", choices: words.person_roles, isMany: true, placeholder: "everybody of the desk" },
      ]}
      fresh={(key) => ({ key, label: "something else", on: "date" })}
    />
  );
}

export function CategoriesEditor() {
  const { words } = useBook();
  return (
    <TableEditor
      section="categories"
      named="category"
      about="Categories, the team they go to when the service names none, and the skills they ask for."
      columns={[
        { name: "key", label: "category" },
        { name: "team", label: "team", choices: words.teams, placeholder: "by the service" },
        { name: "skills", label: "skills, separated by commas" },
      ]}
      fresh={(key) => ({ key, skills: [] })}
    />
  );
}

export function SuppliersEditor() {
  return <TableEditor section="suppliers" named="supplier" about="Suppliers a ticket can wait on; their contracts are agreements." columns={[{ name: "name", label: "name" }]} fresh={(key) => ({ key, name: "A supplier" })} />;
}

export function ClocksEditor() {
  const { words } = useBook();
  return (
    <>
      <p className="mb-3 text-ink-2">
        Shipped: {words.clocks.map((clock) => clock.label || clock.key).join(", ")}. More of your own:
      </p>
      <TableEditor
        section="clocks"
        named="kind of clock"
        about="What starts and stops it are acts: logged, taken, replied, waiting, resolved, reopened…"
        columns={[
          { name: "label", label: "label" },
          { name: "of", label: "of", choices: ["customer", "team", "supplier"] },
          { name: "starts", label: "starts when" },
          { name: "stops", label: "stops when" },
        ]}
        fresh={(key) => ({ key, label: key.replaceAll("-", " "), of: "customer", starts: ["logged"], stops: ["resolved"], restarts: [] })}
      />
    </>
  );
}

export function CareTiersEditor() {
  return (
    <>
      <TableEditor
        section="care_tiers"
        named="care tier"
        about="A target share of 0.50 halves the time. Of several tiers the smallest share counts, on customer agreements only."
        columns={[{ name: "name", label: "name" }, { name: "share", label: "target share", width: "w-20" }]}
        fresh={(key) => ({ key, name: "A care tier", share: "0.75" })}
      />
      <TierMembers />
    </>
  );
}

/** Who is in which tier: this is not part of the draft, it counts at once. */
function TierMembers() {
  const { document } = useBook();
  const readAgain = useReadAgain();
  const [name, setName] = useState("");
  const tiers = entriesOf<Plain & { name: string }>(document, "care_tiers");
  const { data, refetch } = useQuery({ queryKey: ["tiers"], queryFn: () => ok(api.GET("/api/tiers")) });
  const serve = (number: number, care_tiers: string[]) =>
    ok(api.PATCH("/api/people/{number}/served", { params: { path: { number } }, body: { care_tiers } }))
      .then((person) => {
        toast(`${person.name}: ${person.retargeted} open tickets promised anew.`);
        void refetch();
        readAgain();
      })
      .catch((error: unknown) => toast.error(sentence(error)));
  return (
    <Part title="Who is in them (counts at once, also for what they have open)">
      <ul className="max-h-80 overflow-y-auto">
        {data?.map((person) => (
          <li key={person.id} className="flex items-baseline gap-3 border-b border-line py-1">
            <span className="w-64">
              <b>{person.name}</b> <span className="text-ink-2">{person.job}</span>
            </span>
            <PickMany label={`Care tiers of ${person.name}`} placeholder="none" options={tiers.map((tier) => ({ key: tier.key, name: tier.name }))} value={person.care_tiers} onChange={(next) => void serve(person.id, next)} />
          </li>
        ))}
      </ul>
      <div className="mt-2 max-w-sm">
        <PersonPicker
          label="Add somebody" takesFocus={false}
          name={name}
          onName={setName}
          onPick={(person) => {
            setName("");
            const first = tiers[0];
            if (first) void serve(person.id, [first.key]);
          }}
        />
      </div>
    </Part>
  );
}

interface Closing {
  calendar: string;
  after_seconds: number;
  when_tasks_done?: boolean;
  conditions?: { stage: string; if: Tree; says: string }[];
}

export function ClosingEditor() {
  const { document, words } = useBook();
  const editing = useEntry<Closing>("closing", "", document.closing as Closing);
  const closing = editing.value;
  const conditions = closing.conditions ?? [];
  const set = (change: Partial<Closing>) => editing.set({ ...closing, ...change });
  const replace = (index: number, change: Partial<(typeof conditions)[number]>) => set({ conditions: conditions.map((old, at) => (at === index ? { ...old, ...change } : old)) });
  return (
    <>
      <EditState editing={editing} />
      <p className="text-[16px] leading-8">
        A resolved ticket closes by itself after <SpanInput label="Closes after" seconds={closing.after_seconds} onChange={(seconds) => set({ after_seconds: seconds ?? 3600 })} /> on{" "}
        <PickOne label="Calendar" options={entriesOf<Calendar>(document, "calendars").map(({ key, name }) => ({ key, name }))} value={closing.calendar} onChange={(calendar) => set({ calendar })} />.
        <label className="mt-2 flex items-center gap-1.5">
          <input type="checkbox" checked={closing.when_tasks_done === true} onChange={(event) => set({ when_tasks_done: event.target.checked })} />
          A ticket resolves by itself when the last of its tasks is done, if the conditions below hold
        </label>
      </p>
      <Part title="Before it can be resolved" aside={<button type="button" className="why text-ink-2" onClick={() => set({ conditions: [...conditions, { stage: "resolving", if: { field: "service", op: "is filled" }, says: "Say which service it was first." }] })}>add a condition</button>}>
        {conditions.length === 0 ? <p className="text-ink-2">Nothing but the words of the resolution is needed.</p> : null}
        <ul className="flex flex-col gap-2">
          {conditions.map((entry, index) => (
            <li key={index} className="rounded-small border border-line px-3 py-2">
              <p className="leading-7">
                it must hold that <ConditionSentence fields={fieldsOf(words)} tree={entry.if} always="anything" onChange={(tree) => replace(index, { if: tree })} />
              </p>
              <p className="mt-1 flex items-center gap-2">
                else say <TextInput label="What is said" className={`${smallInput} flex-1`} value={entry.says} onChange={(says) => replace(index, { says })} />
                <button type="button" aria-label="Remove the condition" className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => set({ conditions: conditions.filter((_, at) => at !== index) })}>
                  ×
                </button>
              </p>
            </li>
          ))}
        </ul>
      </Part>
    </>
  );
}
