import { useBook, useEntry } from "./data";
import { EditState, LinesInput, options, PickOne, smallInput, TextInput } from "./parts";
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
      {hasChoices ? (
        <LinesInput label="Choices, one to a line" lines={field.choices ?? []} onChange={(choices) => set({ choices })} />
      ) : null}
      <FieldLimits field={field} onChange={set} />
    </div>
  );
}
