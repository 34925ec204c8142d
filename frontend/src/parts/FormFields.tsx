import { AmountInput } from "./AmountInput";
import { asText } from "./text";
import type { components } from "../api/schema";
import { findColleagues, findThings } from "./ColleaguePicker";
import { Finder } from "./Finder";
import { FilesInput } from "./FilesInput";
import { Field, inputClass } from "./ui";

export type FieldState = components["schemas"]["FieldStateShape"];

interface FormFieldsProps {
  states: FieldState[];
  answers: Record<string, unknown>;
  onChange: (name: string, value: unknown) => void;
  errors?: Record<string, string>;
  /** Fields that the page draws itself. */
  without?: string[];
}

/** The fields of a form as their states say: shown, required, read-only, limited. */
export function FormFields({ states, answers, onChange, errors = {}, without = [] }: FormFieldsProps) {
  return (
    <div className="flex flex-col gap-3">
      {states
        .filter((state) => state.is_shown && !without.includes(state.field))
        .map((state) => (
          <Field
            key={state.field}
            label={`${state.label}${state.is_required ? " (needed)" : ""}`}
            help={state.hint || undefined}
            error={errors[state.field]}
          >
            {(props) => (
              <FieldInput
                props={props}
                state={state}
                value={answers[state.field] ?? state.value}
                onChange={(value) => onChange(state.field, value)}
              />
            )}
          </Field>
        ))}
    </div>
  );
}

interface FieldInputProps {
  props: { id?: string; "aria-invalid"?: true; "aria-describedby"?: string; "aria-label"?: string };
  state: FieldState;
  value: unknown;
  onChange: (value: unknown) => void;
}

/** One field of its type; what it hands on is the value of that type, or null. */
export function FieldInput({ props, state, value, onChange }: FieldInputProps) {
  const shared = { ...props, disabled: state.is_read_only, className: inputClass };
  const text = value === null || value === undefined ? "" : asText(value);
  if (state.type === "several choices") {
    const chosen = Array.isArray(value) ? (value as string[]) : [];
    return (
      <div {...props} role="group" className="flex flex-wrap gap-x-4">
        {state.choices.map((choice) => (
          <label key={choice.key} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              disabled={state.is_read_only}
              checked={chosen.includes(choice.key ?? "")}
              onChange={() =>
                onChange(chosen.includes(choice.key ?? "") ? chosen.filter((one) => one !== choice.key) : [...chosen, choice.key ?? ""])
              }
            />
            {choice.label}
          </label>
        ))}
      </div>
    );
  }
  if (state.choices.length > 0)
    return (
      <select {...shared} value={text} onChange={(event) => onChange(event.target.value || null)}>
        <option value="">–</option>
        {state.choices.map((choice) => (
          <option key={choice.key} value={choice.key}>
            {choice.label}
          </option>
        ))}
      </select>
    );
  if (state.type === "yes/no")
    return (
      <select
        {...shared}
        value={value === true ? "yes" : value === false ? "no" : ""}
        onChange={(event) => onChange(event.target.value === "" ? null : event.target.value === "yes")}
      >
        <option value="">–</option>
        <option>yes</option>
        <option>no</option>
      </select>
    );
  if (state.type === "person" || state.type === "ci")
    return (
      <Finder
        props={props}
        what={state.type === "person" ? "Colleagues" : "Things"}
        find={state.type === "person" ? findColleagues : findThings}
        nothing={state.type === "person" ? "Nobody is called that." : "Nothing is called that."}
        isReadOnly={state.is_read_only}
        name={text}
        onName={(name) => onChange(name || null)}
        onPick={(found) => onChange(found.name)}
      />
    );
  if (state.type === "attachment") return <FilesInput props={props} isReadOnly={state.is_read_only} value={value} onChange={onChange} />;
  if (state.type === "long text")
    return (
      <textarea
        {...shared}
        rows={3}
        maxLength={(state.limits.most_length as number | undefined) ?? undefined}
        value={text}
        onChange={(event) => onChange(event.target.value || null)}
      />
    );
  const limits = state.limits as { minimum?: number; maximum?: number; most_length?: number; first_day?: string; last_day?: string };
  if (state.type === "number" || state.type === "money")
    return (
      <AmountInput
        props={props}
        isReadOnly={state.is_read_only}
        isMoney={state.type === "money"}
        least={limits.minimum}
        most={limits.maximum}
        value={typeof value === "number" ? value : null}
        onChange={onChange}
      />
    );
  return (
    <input
      {...shared}
      type={state.type === "date" ? "date" : "text"}
      min={limits.first_day}
      max={limits.last_day}
      maxLength={limits.most_length}
      value={text}
      onChange={(event) => onChange(event.target.value === "" ? null : event.target.value)}
    />
  );
}
