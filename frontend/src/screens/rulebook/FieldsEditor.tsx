import { useState } from "react";
import { Button } from "../../parts/ui";
import { useBook, useEdit, useEntry } from "./data";
import { keyFrom } from "./edits";
import { entriesOf } from "./edits";
import { EditState, options, PickOne, smallInput, TextInput } from "./parts";
import { FieldLimits } from "./FieldLimits";
import { type CustomField } from "./FormEffects";

/** Fields of one's own: at once in forms, filters, reports, rules and the API. */
export function FieldsEditor() {
  const { document, words } = useBook();
  const edit = useEdit();
  const all = entriesOf<CustomField>(document, "fields");
  const [label, setLabel] = useState("");
  const add = () => {
    const key = keyFrom(
      label,
      [...all.map((one) => one.key), ...words.form_fields.map((one) => one.key), ...words.fields.map((one) => one.name)],
      "_",
    ).replace(/^[^a-z]+/, "f_");
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
        <input
          aria-label="Label of a new field"
          placeholder="Berth number"
          className={`${smallInput} w-56`}
          value={label}
          onChange={(event) => setLabel(event.target.value)}
        />
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
        <TextInput
          label={`Label of ${field.label}`}
          className={`${smallInput} w-52 font-bold`}
          value={field.label}
          onChange={(label) => set({ label })}
        />
        <PickOne
          label={`Type of ${field.label}`}
          options={options(types)}
          value={field.type}
          onChange={(type) => set({ type, ...(type.includes("choice") ? { choices: field.choices ?? ["One", "Another"] } : {}) })}
        />
        <TextInput
          label={`Hint of ${field.label}`}
          placeholder="hint"
          className={`${smallInput} min-w-0 flex-1`}
          value={field.hint ?? ""}
          onChange={(hint) => set({ hint })}
        />
        <button
          type="button"
          aria-label={`Remove ${field.label}`}
          className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
          onClick={() => edit.mutate({ section: "fields", key: field.key, before: stored, after: null })}
        >
          ×
        </button>
      </div>
      {hasChoices ? <Choices field={field} onChange={(choices) => set({ choices })} /> : null}
      <FieldLimits field={field} onChange={set} />
    </li>
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
