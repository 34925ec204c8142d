import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { inputClass } from "../../parts/ui";
import { OnlyIf } from "../changes/OnlyIf";
import { StepRunbook } from "../changes/StepRunbook";
import type { Entry } from "./data";
import { useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, moved, options, OrderButtons, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";

interface Step {
  part: string;
  says: string;
  minutes?: number;
  who?: string;
  runbook?: string;
  inputs?: Record<string, string>;
  outputs?: string[];
  only_if?: { output: string; is: string };
}

interface Expected {
  attribute: string;
  value: string;
}

interface ChangeTemplate extends Entry {
  name: string;
  title?: string;
  is_preauthorised?: boolean;
  why?: string;
  tried?: string;
  service?: string;
  category?: string;
  items?: string[];
  groups?: string[];
  expects?: Expected[];
  minutes?: number;
  steps?: Step[];
}

const PARTS = ["implement", "test", "back out"];

export const changeTemplates: SectionSpec<ChangeTemplate> = {
  section: "change_templates",
  title: "Change templates",
  one: "change template",
  about: "What is done again and again, with its plan. One that is authorised beforehand is asked of no approver while its risk is low.",
  nameOf: (one) => one.name,
  renamed: (one, name) => ({ ...one, name }),
  columns: [
    { label: "service", of: (one) => one.service ?? "" },
    { label: "authorised beforehand", of: (one) => (one.is_preauthorised ? "yes" : "no") },
    { label: "steps", of: (one) => String(one.steps?.length ?? 0) },
  ],
  bulk: [],
  freshName: "new template",
  fresh: [{ label: "New change template", make: (key) => ({ key, name: "New template", steps: [], minutes: 60 }) }],
  Editor: TemplateEditor,
};

function TemplateEditor({ stored }: { stored: ChangeTemplate }) {
  const { words, document } = useBook();
  const editing = useEntry<ChangeTemplate>("change_templates", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<ChangeTemplate>) => editing.set({ ...one, ...change });
  const steps = one.steps ?? [];
  const setStep = (index: number, change: Partial<Step>) =>
    set({ steps: steps.map((step, at) => (at === index ? { ...step, ...change } : step)) });
  const setExpected = (index: number, change: Partial<Expected>) =>
    set({ expects: (one.expects ?? []).map((each, at) => (at === index ? { ...each, ...change } : each)) });
  const groups = entriesOf<{ key: string; name: string }>(document, "item_groups").map((group) => group.name);
  const categories = entriesOf<{ key: string }>(document, "categories").map((each) => each.key);
  const items = one.items ?? [];
  const [typed, setTyped] = useState("");
  return (
    <>
      <EditState editing={editing} />
      <label className="flex items-baseline gap-3">
        <span className="text-ink-2">name</span>
        <TextInput label="Name" isName value={one.name} onChange={(name) => set({ name, title: name })} />
      </label>
      <label className="mt-2 flex items-center gap-2">
        <input
          type="checkbox"
          checked={one.is_preauthorised ?? false}
          onChange={(event) => set({ is_preauthorised: event.target.checked })}
        />
        authorised beforehand, while its risk is low
      </label>
      <p className="mt-1 text-[16px] leading-8">
        For{" "}
        <PickOne
          label="Service"
          options={[{ key: "", name: "the service that is chosen" }, ...options(words.services)]}
          value={one.service ?? ""}
          onChange={(service) => set({ service })}
        />
        , category{" "}
        <PickOne
          label="Category"
          options={[{ key: "", name: "that of the service" }, ...options(categories)]}
          value={one.category ?? ""}
          onChange={(category) => set({ category })}
        />
        , taking{" "}
        <input
          type="number"
          aria-label="Minutes that it is planned for"
          min={0}
          className={`${smallInput} w-[80px]`}
          value={one.minutes ?? 0}
          onChange={(event) => set({ minutes: Math.max(0, Math.round(+event.target.value) || 0) })}
        />{" "}
        minutes.
      </p>
      <Part title="Why it is needed">
        <textarea
          aria-label="Why it is needed"
          rows={2}
          className={inputClass}
          value={one.why ?? ""}
          onChange={(event) => set({ why: event.target.value })}
        />
      </Part>
      <Part title="Where it was tried before">
        <input
          aria-label="Where it was tried before"
          className={inputClass}
          value={one.tried ?? ""}
          onChange={(event) => set({ tried: event.target.value })}
        />
      </Part>
      <Part title="Plan">
        <ol className="flex flex-col gap-1">
          {steps.map((step, index) => (
            <li key={index} className="flex flex-wrap items-center gap-2">
              <select
                aria-label={`Part of step ${index + 1}`}
                className={smallInput}
                value={step.part}
                onChange={(event) => setStep(index, { part: event.target.value })}
              >
                {PARTS.map((part) => (
                  <option key={part}>{part}</option>
                ))}
              </select>
              <input
                aria-label={`Step ${index + 1}`}
                maxLength={160}
                className={`${smallInput} min-w-[220px] flex-1`}
                value={step.says}
                onChange={(event) => setStep(index, { says: event.target.value })}
              />
              <input
                type="number"
                aria-label={`Minutes of step ${index + 1}`}
                min={0}
                className={`${smallInput} w-[76px]`}
                value={step.minutes ?? 0}
                onChange={(event) => setStep(index, { minutes: Math.max(0, Math.round(+event.target.value) || 0) })}
              />
              <span className="text-[13px] text-ink-2">min</span>
              <OrderButtons name={step.says} index={index} count={steps.length} onMove={(to) => set({ steps: moved(steps, index, to) })} />
              <button
                type="button"
                className="min-h-[24px] text-[13px] underline"
                onClick={() => set({ steps: steps.filter((_, at) => at !== index) })}
              >
                remove
              </button>
              <StepRunbook
                step={{ runbook: step.runbook ?? "", inputs: step.inputs ?? {}, outputs: step.outputs ?? [] }}
                name={step.says}
                runbooks={words.runbooks}
                onChange={(some) => setStep(index, some)}
              />
              {index > 0 ? (
                <OnlyIf
                  step={{ says: step.says, only_if: step.only_if ?? { output: "", is: "" } }}
                  onChange={(only_if) => setStep(index, { only_if })}
                />
              ) : null}
            </li>
          ))}
        </ol>
        <button
          type="button"
          className="min-h-[28px] underline"
          onClick={() => set({ steps: [...steps, { part: "implement", says: "New step", minutes: 15 }] })}
        >
          Another step
        </button>
      </Part>
      <Part title="Items that it always touches">
        <ul>
          {items.map((key) => (
            <li key={key} className="flex items-baseline gap-3 py-0.5">
              <NamedItem itemKey={key} />
              <button type="button" className="min-h-[24px] underline" onClick={() => set({ items: items.filter((each) => each !== key) })}>
                remove
              </button>
            </li>
          ))}
        </ul>
        <div className="max-w-[360px]">
          <Finder
            props={{ "aria-label": "Another item" }}
            what="items for a template"
            find={async (text) => {
              const found = await ok(api.GET("/api/estate/items", { params: { query: { words: text } } }));
              return found.rows.slice(0, 9).map((each) => ({ id: each.id, name: each.name, note: `${each.kind}, ${each.place}` }));
            }}
            nothing="No item is called that."
            name={typed}
            hint="Another item, by a part of its name"
            onName={setTyped}
            onPick={(found) => {
              setTyped("");
              void ok(api.GET("/api/estate/items/{number}", { params: { path: { number: found.id } } })).then((item) =>
                set({ items: [...items.filter((each) => each !== item.key), item.key] }),
              );
            }}
          />
        </div>
        {groups.length > 0 ? (
          <p className="mt-2 text-[16px] leading-8">
            and every item that is in{" "}
            <PickMany
              label="Groups of items that it touches"
              options={options(groups)}
              value={one.groups ?? []}
              onChange={(chosen) => set({ groups: chosen })}
              placeholder="no group"
              joiner="or"
            />{" "}
            when it is opened.
          </p>
        ) : null}
      </Part>
      <Part title="What is expected of each afterwards">
        <ul>
          {(one.expects ?? []).map((each, index) => (
            <li key={index} className="flex flex-wrap items-center gap-2 py-0.5">
              <input
                aria-label={`Attribute ${index + 1}`}
                placeholder="attribute"
                className={`${smallInput} w-[150px]`}
                value={each.attribute}
                onChange={(event) => setExpected(index, { attribute: event.target.value.toLowerCase().replace(/[^a-z0-9_-]/g, "") })}
              />
              is to be
              <input
                aria-label={`Expected value ${index + 1}`}
                className={`${smallInput} w-[190px]`}
                value={each.value}
                onChange={(event) => setExpected(index, { value: event.target.value })}
              />
              <button
                type="button"
                className="min-h-[24px] underline"
                onClick={() => set({ expects: (one.expects ?? []).filter((_, at) => at !== index) })}
              >
                remove
              </button>
            </li>
          ))}
        </ul>
        <button
          type="button"
          className="min-h-[28px] underline"
          onClick={() => set({ expects: [...(one.expects ?? []), { attribute: "version", value: "" }] })}
        >
          Another value
        </button>
      </Part>
    </>
  );
}

/** An item by its name; its key is what is kept. */
export function NamedItem({ itemKey }: { itemKey: string }) {
  const { data } = useQuery({
    queryKey: ["item by key", itemKey],
    queryFn: () => ok(api.GET("/api/estate/items", { params: { query: { words: itemKey } } })),
    staleTime: 300_000,
  });
  const found = data?.rows.find((one) => one.key === itemKey);
  return <span className={data && !found ? "text-rust" : ""}>{found?.name ?? (data ? `${itemKey}: there is no such item` : "…")}</span>;
}
