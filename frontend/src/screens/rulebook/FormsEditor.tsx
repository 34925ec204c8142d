import { useQuery } from "@tanstack/react-query";
import { GripVertical } from "lucide-react";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, type FieldAbout, ok, sentence } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { FormFields } from "../../parts/FormFields";
import { useDebounced } from "../../parts/hooks";
import { Button, ErrorNote } from "../../parts/ui";
import { entriesOf, type Entry, type Form, type FormField, keyFrom, NEEDLE, openEntry, type Question, useBook, useEdit, useEntry } from "./data";
import { EditState, moved, options, OrderButtons, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";

export interface CustomField extends Entry {
  label: string;
  type: string;
  choices?: string[];
  hint?: string;
}

/** Fields of one's own: at once in forms, filters, reports, rules and the API. */
export function FieldsEditor() {
  const { document, words } = useBook();
  const edit = useEdit();
  const all = entriesOf<CustomField>(document, "fields");
  const [label, setLabel] = useState("");
  const add = () => {
    const key = keyFrom(label, [...all.map((one) => one.key), ...words.form_fields.map((one) => one.key), ...words.fields.map((one) => one.name)], "_").replace(/^[^a-z]+/, "f_");
    setLabel("");
    edit.mutate({ section: "fields", key, before: null, after: { key, label, type: "text" } });
  };
  return (
    <>
      <p className="text-ink-2">A field is there at once in forms, filters, rules and the API. Put it into a form to have it asked.</p>
      <ul className="mt-2">
        {all.map((one) => (
          <FieldLine key={one.key} stored={one} types={words.field_types} />
        ))}
      </ul>
      <p className="mt-3 flex gap-2">
        <input aria-label="Label of a new field" placeholder="Berth number" className={`${smallInput} w-56`} value={label} onChange={(event) => setLabel(event.target.value)} />
        <Button disabled={label.trim() === ""} onClick={add}>
          Add the field
        </Button>
      </p>
    </>
  );
}

function FieldLine({ stored, types }: { stored: CustomField; types: string[] }) {
  const editing = useEntry<CustomField>("fields", stored.key, stored);
  const edit = useEdit();
  const field = editing.value;
  const set = (change: Partial<CustomField>) => editing.set({ ...field, ...change });
  const hasChoices = field.type === "choice" || field.type === "several choices";
  return (
    <li className="border-b border-line py-1.5">
      <EditState editing={editing} />
      <div className="flex flex-wrap items-center gap-2">
        <TextInput label={`Label of ${field.key}`} className={`${smallInput} w-52 font-bold`} value={field.label} onChange={(label) => set({ label })} />
        <PickOne label={`Type of ${field.key}`} options={options(types)} value={field.type} onChange={(type) => set({ type, ...(type.includes("choice") ? { choices: field.choices ?? ["One", "Another"] } : {}) })} />
        {hasChoices ? <TextInput label={`Choices of ${field.key}, separated by commas`} className={`${smallInput} min-w-0 flex-1`} value={(field.choices ?? []).join(", ")} onChange={(text) => set({ choices: text.split(",").map((one) => one.trim()).filter(Boolean) })} /> : <TextInput label={`Hint of ${field.key}`} placeholder="hint" className={`${smallInput} min-w-0 flex-1`} value={field.hint ?? ""} onChange={(hint) => set({ hint })} />}
        <span className="font-mono text-[12px] text-ink-2">{field.key}</span>
        <button type="button" aria-label={`Remove ${field.label}`} className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => edit.mutate({ section: "fields", key: field.key, before: stored, after: null })}>
          ×
        </button>
      </div>
    </li>
  );
}

const STATES = ["shown", "required", "read only", "hidden"];

function stateOf(said: Record<string, boolean> | undefined): string {
  if (said?.shown === false) return "hidden";
  if (said?.required) return "required";
  return said?.read_only ? "read only" : "shown";
}

function saidOf(state: string): Record<string, boolean> {
  return { shown: state !== "hidden", required: state === "required", ...(state === "read only" ? { read_only: true } : {}) };
}

export function FormsEditor() {
  const { document } = useBook();
  const [params, setParams] = useSearchParams();
  const edit = useEdit();
  const all = entriesOf<Form>(document, "forms");
  const open = openEntry(all, params.get("open"));
  const add = () => {
    const key = keyFrom("New form", all.map((one) => one.key));
    const shown = { shown: true, required: false };
    const after: Form = { key, name: "New form", kind: "incident", categories: [], fields: ["title", "text", "service", "place"].map((field) => ({ field, requester: shown, agent: shown })), effects: [] };
    edit.mutate({ section: "forms", key, before: null, after }, { onSuccess: () => setParams({ open: key }) });
  };
  return (
    <>
      <div className="flex flex-wrap items-center gap-1">
        {all.map((one) => (
          <button key={one.key} type="button" aria-current={one.key === open?.key} className={`rounded-small border px-2 py-0.5 ${one.key === open?.key ? "border-crown bg-crown-2 font-bold" : "border-line hover:bg-sea-3"}`} onClick={() => setParams({ open: one.key })}>
            {one.name}
          </button>
        ))}
        <button type="button" className="px-1.5 text-ink-2 hover:text-ink" onClick={add}>
          + new
        </button>
      </div>
      {open ? <FormEditor key={open.key} stored={open} onGone={() => setParams({})} /> : null}
    </>
  );
}

function FormEditor({ stored, onGone }: { stored: Form; onGone: () => void }) {
  const { words, document } = useBook();
  const editing = useEntry<Form>("forms", stored.key, stored);
  const edit = useEdit();
  const form = editing.value;
  const [dragged, setDragged] = useState<number | null>(null);
  const set = (change: Partial<Form>) => editing.set({ ...form, ...change });
  const setField = (index: number, change: Partial<FormField>) => set({ fields: form.fields.map((old, at) => (at === index ? { ...old, ...change } : old)) });
  const name = (key: string) => words.form_fields.find((one) => one.key === key)?.name ?? key;
  const categories = options(entriesOf(document, "categories").map((one) => one.key));
  return (
    <article className="mt-3 border-t border-line pt-3">
      <EditState editing={editing} />
      <p className="text-[16px] leading-8">
        <TextInput label="Name of the form" className="w-56 rounded-small border border-line-2 bg-sheet px-2 font-bold" value={form.name} onChange={(next) => set({ name: next })} /> for incidents about{" "}
        <PickMany label="Categories" placeholder="anything else" joiner="or" options={categories} value={form.categories ?? []} onChange={(next) => set({ categories: next })} />
      </p>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(260px,340px)] gap-6 max-[1300px]:grid-cols-1">
        <div>
          <table className="mt-1 w-full">
            <thead>
              <tr className="border-b border-line text-left text-ink-2">
                <th scope="col" className="py-1 font-normal">field</th>
                <th scope="col" className="py-1 font-normal">requesters</th>
                <th scope="col" className="py-1 font-normal">agents</th>
                <th scope="col" className="py-1 font-normal">needed from</th>
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
                    <span draggable onDragStart={() => setDragged(index)} onDragEnd={() => setDragged(null)} className="mr-1 inline-block cursor-grab align-middle text-ink-3">
                      <GripVertical size={14} aria-hidden="true" />
                    </span>
                    {name(field.field)}
                  </th>
                  {(["requester", "agent"] as const).map((audience) => (
                    <td key={audience} className="py-1 pr-2">
                      <PickOne label={`${name(field.field)} for ${audience}s`} options={options(STATES)} value={stateOf(field[audience])} onChange={(state) => setField(index, { [audience]: saidOf(state) })} />
                    </td>
                  ))}
                  <td className="py-1 pr-2">
                    {[stateOf(field.requester), stateOf(field.agent)].includes("required") ? (
                      <PickOne
                        label={`${name(field.field)} is needed from`}
                        options={options(["submitting", "resolving", "closing"])}
                        value={field.required_at?.[0] ?? "submitting"}
                        onChange={(stage) => setField(index, { required_at: stage === "submitting" ? ["submitting", "resolving", "closing"] : stage === "resolving" ? ["resolving", "closing"] : ["closing"] })}
                      />
                    ) : null}
                  </td>
                  <td className="whitespace-nowrap text-right">
                    <OrderButtons index={index} count={form.fields.length} name={name(field.field)} onMove={(to) => set({ fields: moved(form.fields, index, to) })} />
                    <button type="button" aria-label={`Take ${name(field.field)} out`} className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => set({ fields: form.fields.filter((_, at) => at !== index) })}>
                      ×
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <select aria-label="Add a field" className={`${smallInput} mt-2`} value="" onChange={(event) => set({ fields: [...form.fields, { field: event.target.value, requester: { shown: true, required: false }, agent: { shown: true, required: false } }] })}>
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
          <div className="mt-4 text-right">
            <Button tone="quiet" onClick={() => edit.mutate({ section: "forms", key: form.key, before: stored, after: null }, { onSuccess: onGone })}>
              Remove this form
            </Button>
          </div>
        </div>
        <FormPreview form={form} />
      </div>
    </article>
  );
}

type Effect = NonNullable<Form["effects"]>[number];

/** The form's own fields as the sentence builder wants them. */
function useFormFields(form: Form): FieldAbout[] {
  const { words, document } = useBook();
  const questions = entriesOf<Question>(document, "questions");
  const custom = entriesOf<CustomField>(document, "fields");
  return form.fields.map(({ field }) => {
    const question = questions.find((one) => one.key === field);
    const own = custom.find((one) => one.key === field);
    const choices = question ? question.choices.map((choice) => choice.key) : (own?.choices ?? (field === "service" ? words.services : []));
    const type = own?.type === "number" || own?.type === "money" ? "number" : own?.type === "yes/no" ? "yes/no" : choices.length > 0 ? "choice" : "text";
    const operators = type === "number" ? ["is", "<", "<=", ">", ">=", "is filled", "is empty"] : type === "choice" ? ["is one of", "is none of", "is filled", "is empty"] : type === "yes/no" ? ["is"] : ["contains", "is", "is filled", "is empty"];
    return { name: field, label: words.form_fields.find((one) => one.key === field)?.name ?? field, type, operators, choices, settable: true };
  });
}

function Effects({ form, onChange }: { form: Form; onChange: (effects: Effect[]) => void }) {
  const fields = useFormFields(form);
  const effects = form.effects ?? [];
  const names = fields.map((field) => ({ key: field.name, name: field.label }));
  const replace = (index: number, effect: Effect) => onChange(effects.map((old, at) => (at === index ? effect : old)));
  const first = form.fields[0]?.field ?? "title";
  return (
    <Part title="Effects" aside={<button type="button" className="why text-ink-2" onClick={() => onChange([...effects, { if: { field: first, op: "is filled" }, then: [{ do: "show", field: first }] }])}>add an effect</button>}>
      <ul className="flex flex-col gap-2">
        {effects.map((effect, index) => (
          <li key={index} className="rounded-small border border-line px-3 py-1.5 leading-8">
            if <ConditionSentence fields={fields} tree={effect.if} always="always" onChange={(tree) => replace(index, { ...effect, if: tree })} /> then{" "}
            {effect.then.map((action, at) => {
              const set = (change: Partial<typeof action>) => replace(index, { ...effect, then: effect.then.map((old, place) => (place === at ? { ...old, ...change } : old)) });
              return (
                <span key={at}>
                  {at > 0 ? " and " : ""}
                  <PickOne label="Effect" options={options(["show", "hide", "require", "fill", "limit"])} value={action.do} onChange={(next) => set({ do: next, ...(next === "fill" ? { value: "" } : next === "limit" ? { choices: [] } : {}) })} />{" "}
                  <PickOne label="Field" options={names} value={action.field} onChange={(field) => set({ field })} />
                  {action.do === "fill" ? (
                    <>
                      {" "}
                      with <TextInput label="Value" className={`${smallInput} w-32`} value={typeof action.value === "string" ? action.value : ""} onChange={(value) => set({ value })} />
                    </>
                  ) : null}
                  {action.do === "limit" ? (
                    <>
                      {" "}
                      to <PickMany label="Choices left" placeholder="nothing" joiner="or" options={options(fields.find((field) => field.name === action.field)?.choices ?? [])} value={action.choices ?? []} onChange={(choices) => set({ choices })} />
                    </>
                  ) : null}
                </span>
              );
            })}{" "}
            <button type="button" className="why text-ink-2" onClick={() => replace(index, { ...effect, then: [...effect.then, { do: "show", field: first }] })}>
              and…
            </button>
            <button type="button" aria-label="Remove the effect" className="ml-2 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => onChange(effects.filter((_, at) => at !== index))}>
              ×
            </button>
          </li>
        ))}
      </ul>
    </Part>
  );
}

export function FormPreview({ form, template }: { form: Form; template?: Record<string, unknown> }) {
  const [audience, setAudience] = useState<"requester" | "agent">("requester");
  const [answers, setAnswers] = useState<Record<string, unknown>>({});
  const late = useDebounced(JSON.stringify({ form, template, answers, audience }), 250);
  const { data, error } = useQuery({
    queryKey: [...NEEDLE, "form", late],
    queryFn: () => {
      const asked = JSON.parse(late) as { form: Form; template?: Record<string, unknown>; answers: Record<string, unknown>; audience: "requester" | "agent" };
      return ok(api.POST("/api/rulebook/preview-form", { body: { form: asked.form as never, template: (asked.template ?? null) as never, answers: asked.answers as never, audience: asked.audience, stage: "submitting" } }));
    },
    retry: false,
    placeholderData: (old) => old,
  });
  return (
    <div className="rounded-card border border-line bg-paper px-4 py-3">
      <p className="mb-2 flex gap-2">
        <b className="flex-1">As seen by</b>
        {(["requester", "agent"] as const).map((one) => (
          <label key={one} className="flex items-center gap-1">
            <input type="radio" name="audience" checked={audience === one} onChange={() => setAudience(one)} />
            {one === "requester" ? "a requester" : "an agent"}
          </label>
        ))}
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data ? <FormFields states={data} answers={answers} onChange={(name, value) => setAnswers({ ...answers, [name]: value })} /> : null}
    </div>
  );
}
