import { GripVertical } from "lucide-react";
import { useState } from "react";
import { type Form, type FormField, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, moved, options, OrderButtons, PickMany, PickOne, smallInput, TextInput } from "./parts";
import { Effects } from "./FormEffects";
import { FormPreview } from "./FormPreview";
import type { SectionSpec } from "./section/spec";

const STATES = ["shown", "required", "read only", "hidden"];

function stateOf(said: Record<string, boolean> | undefined): string {
  if (said?.shown === false) return "hidden";
  if (said?.required) return "required";
  return said?.read_only ? "read only" : "shown";
}

function saidOf(state: string): Record<string, boolean> {
  return { shown: state !== "hidden", required: state === "required", ...(state === "read only" ? { read_only: true } : {}) };
}

export const forms: SectionSpec<Form> = {
  section: "forms",
  title: "Forms",
  one: "form",
  about: "What is asked when something is logged or requested, of whom, and when.",
  nameOf: (one) => one.name,
  freshName: "New form",
  columns: [
    { label: "asks", of: (one) => `${one.fields.length} fields`, isRight: true },
    { label: "for", of: (one) => (one.categories ?? []).join(", ") },
  ],
  bulk: [],
  fresh: [
    {
      label: "New form",
      make: (key) => {
        const shown = { shown: true, required: false };
        return {
          key,
          name: "New form",
          kind: "incident",
          categories: [],
          fields: ["title", "text", "service", "place"].map((field) => ({ field, requester: shown, agent: shown })),
          effects: [],
        };
      },
    },
  ],
  Editor: FormEditor,
};

function FormEditor({ stored }: { stored: Form }) {
  const { words, document } = useBook();
  const editing = useEntry<Form>("forms", stored.key, stored);
  const form = editing.value;
  const [dragged, setDragged] = useState<number | null>(null);
  const set = (change: Partial<Form>) => editing.set({ ...form, ...change });
  const setField = (index: number, change: Partial<FormField>) =>
    set({ fields: form.fields.map((old, at) => (at === index ? { ...old, ...change } : old)) });
  const name = (key: string) => words.form_fields.find((one) => one.key === key)?.name ?? key;
  const categories = options(entriesOf(document, "categories").map((one) => one.key));
  return (
    <article>
      <EditState editing={editing} />
      <p className="text-[16px] leading-8">
        <TextInput
          label="Name of the form"
          isName
          className="w-56 rounded-small border border-line-2 bg-sheet px-2 font-bold"
          value={form.name}
          onChange={(next) => set({ name: next })}
        />{" "}
        for incidents about{" "}
        <PickMany
          label="Categories"
          placeholder="anything else"
          joiner="or"
          options={categories}
          value={form.categories ?? []}
          onChange={(next) => set({ categories: next })}
        />
      </p>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(260px,340px)] gap-6 max-[1300px]:grid-cols-1">
        <div>
          <table className="mt-1 w-full">
            <thead>
              <tr className="border-b border-line text-left text-ink-2">
                <th scope="col" className="py-1 font-normal">
                  field
                </th>
                <th scope="col" className="py-1 font-normal">
                  requesters
                </th>
                <th scope="col" className="py-1 font-normal">
                  agents
                </th>
                <th scope="col" className="py-1 font-normal">
                  needed from
                </th>
                <th />
              </tr>
            </thead>
            <tbody>
              {form.fields.map((field, index) => (
                <tr
                  key={field.field}
                  className={`border-b border-line ${dragged === index ? "opacity-40" : ""}`}
                  onDragOver={(event) => (dragged !== null ? event.preventDefault() : undefined)}
                  onDrop={() => {
                    if (dragged !== null && dragged !== index) set({ fields: moved(form.fields, dragged, index) });
                    setDragged(null);
                  }}
                >
                  <th scope="row" className="py-1 pr-2 text-left font-normal">
                    <span
                      draggable
                      onDragStart={() => setDragged(index)}
                      onDragEnd={() => setDragged(null)}
                      className="mr-1 inline-block cursor-grab align-middle text-ink-3"
                    >
                      <GripVertical size={14} aria-hidden="true" />
                    </span>
                    {name(field.field)}
                  </th>
                  {(["requester", "agent"] as const).map((audience) => (
                    <td key={audience} className="py-1 pr-2">
                      <PickOne
                        label={`${name(field.field)} for ${audience}s`}
                        options={options(STATES)}
                        value={stateOf(field[audience])}
                        onChange={(state) => setField(index, { [audience]: saidOf(state) })}
                      />
                    </td>
                  ))}
                  <td className="py-1 pr-2">
                    {[stateOf(field.requester), stateOf(field.agent)].includes("required") ? (
                      <PickOne
                        label={`${name(field.field)} is needed from`}
                        options={options(["submitting", "resolving", "closing"])}
                        value={field.required_at?.[0] ?? "submitting"}
                        onChange={(stage) =>
                          setField(index, {
                            required_at:
                              stage === "submitting"
                                ? ["submitting", "resolving", "closing"]
                                : stage === "resolving"
                                  ? ["resolving", "closing"]
                                  : ["closing"],
                          })
                        }
                      />
                    ) : null}
                  </td>
                  <td className="whitespace-nowrap text-right">
                    <OrderButtons
                      index={index}
                      count={form.fields.length}
                      name={name(field.field)}
                      onMove={(to) => set({ fields: moved(form.fields, index, to) })}
                    />
                    <button
                      type="button"
                      aria-label={`Take ${name(field.field)} out`}
                      className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                      onClick={() => set({ fields: form.fields.filter((_, at) => at !== index) })}
                    >
                      ×
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <select
            aria-label="Add a field"
            className={`${smallInput} mt-2`}
            value=""
            onChange={(event) =>
              set({
                fields: [
                  ...form.fields,
                  { field: event.target.value, requester: { shown: true, required: false }, agent: { shown: true, required: false } },
                ],
              })
            }
          >
            <option value="">+ field…</option>
            {words.form_fields
              .filter((one) => !form.fields.some((field) => field.field === one.key))
              .map((one) => (
                <option key={one.key} value={one.key}>
                  {one.name}
                </option>
              ))}
          </select>
          <Effects form={form} onChange={(effects) => set({ effects })} />
        </div>
        <FormPreview form={form} />
      </div>
    </article>
  );
}
