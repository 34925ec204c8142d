import { useState } from "react";
import { useBook, useEntry } from "./data";
import { EditState, options, PickOne, smallInput, TextInput } from "./parts";
import { FieldLimits } from "./FieldLimits";
import { type CustomField } from "./FormEffects";
import type { SectionSpec } from "./section/spec";

/** Fields of one's own: at once in forms, filters, reports, rules and the API. */
export const fields: SectionSpec<CustomField> = {
  section: "fields",
  title: "Fields",
  one: "field",
  about: "A field is there at once in forms, filters, rules and the API. Put it into a form to have it asked.",
  nameOf: (one) => one.label,
  renamed: (one, label) => ({ ...one, label }),
  wordsOf: (one) => [one.hint, ...(one.choices ?? [])].join(" "),
  freshName: "new field",
  keyJoiner: "_",
  taken: ({ words }) => [...words.form_fields.map((one) => one.key), ...words.fields.map((one) => one.name)],
  columns: [
    { label: "type", of: (one) => one.type },
    { label: "hint", of: (one) => one.hint ?? "" },
  ],
  bulk: [],
  fresh: [{ label: "New field", make: (key) => ({ key, label: "New field", type: "text" }) }],
  Editor: FieldEditor,
};

function FieldEditor({ stored }: { stored: CustomField }) {
  const types = useBook().words.field_types;
  const editing = useEntry<CustomField>("fields", stored.key, stored);
  const field = editing.value;
  const set = (change: Partial<CustomField>) => editing.set({ ...field, ...change });
  const hasChoices = field.type === "choice" || field.type === "several choices";
  return (
    <div>
      <EditState editing={editing} />
      <div className="flex flex-wrap items-center gap-2">
        <TextInput
          label="Name of the field"
          isName
          className={`${smallInput} w-52 font-bold`}
          value={field.label}
          onChange={(label) => set({ label })}
        />
        <PickOne
          label="Type of the field"
          options={options(types)}
          value={field.type}
          onChange={(type) => set({ type, ...(type.includes("choice") ? { choices: field.choices ?? ["One", "Another"] } : {}) })}
        />
        <TextInput
          label="Hint of the field"
          placeholder="hint"
          className={`${smallInput} min-w-0 flex-1`}
          value={field.hint ?? ""}
          onChange={(hint) => set({ hint })}
        />
      </div>
      {hasChoices ? <Choices field={field} onChange={(choices) => set({ choices })} /> : null}
      <FieldLimits field={field} onChange={set} />
    </div>
  );
}

/** Choices, one to a line: a comma is part of a choice. */
function Choices({ field, onChange }: { field: CustomField; onChange: (choices: string[]) => void }) {
  const stored = (field.choices ?? []).join("\n");
  const [text, setText] = useState(stored);
  const shown = linesOf(text).join("\n") === stored ? text : stored;
  return (
    <label className="mt-1 block text-[13px] text-ink-2">
      Choices, one to a line
      <textarea
        rows={Math.min(12, Math.max(2, shown.split("\n").length))}
        className={`${smallInput} mt-0.5 block h-auto w-full max-w-[420px] py-1 text-ink`}
        value={shown}
        onChange={(event) => {
          setText(event.target.value);
          onChange(linesOf(event.target.value));
        }}
      />
    </label>
  );
}

function linesOf(text: string): string[] {
  const lines = text
    .split("\n")
    .map((one) => one.trim())
    .filter(Boolean);
  return [...new Set(lines)];
}
