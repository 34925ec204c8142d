import { type FieldAbout } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { type Entry, type Form, type Question, useBook } from "./data";
import { entriesOf } from "./edits";
import { options, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";

export interface CustomField extends Entry {
  label: string;
  type: string;
  choices?: string[];
  hint?: string;
  default?: string | number | boolean | string[] | undefined;
  minimum?: number | undefined;
  maximum?: number | undefined;
  least_length?: number | undefined;
  most_length?: number | undefined;
  pattern?: string | undefined;
  first_day?: string | undefined;
  last_day?: string | undefined;
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
    const type =
      own?.type === "number" || own?.type === "money"
        ? "number"
        : own?.type === "yes/no"
          ? "yes/no"
          : choices.length > 0
            ? "choice"
            : "text";
    const operators =
      type === "number"
        ? ["is", "<", "<=", ">", ">=", "is filled", "is empty"]
        : type === "choice"
          ? ["is one of", "is none of", "is filled", "is empty"]
          : type === "yes/no"
            ? ["is"]
            : ["contains", "is", "is filled", "is empty"];
    return {
      name: field,
      label: words.form_fields.find((one) => one.key === field)?.name ?? field,
      type,
      operators,
      choices,
      said: {},
      synonyms: [],
      settable: true,
      is_own: own !== undefined,
    };
  });
}

export function Effects({ form, onChange }: { form: Form; onChange: (effects: Effect[]) => void }) {
  const fields = useFormFields(form);
  const effects = form.effects ?? [];
  const names = fields.map((field) => ({ key: field.name, name: field.label }));
  const replace = (index: number, effect: Effect) => onChange(effects.map((old, at) => (at === index ? effect : old)));
  const first = form.fields[0]?.field ?? "title";
  return (
    <Part
      title="Effects"
      aside={
        <button
          type="button"
          className="why text-ink-2"
          onClick={() => onChange([...effects, { if: { field: first, op: "is filled" }, then: [{ do: "show", field: first }] }])}
        >
          add an effect
        </button>
      }
    >
      <ul className="flex flex-col gap-2">
        {effects.map((effect, index) => (
          <li key={index} className="rounded-small border border-line px-3 py-1.5 leading-8">
            if{" "}
            <ConditionSentence
              fields={fields}
              tree={effect.if}
              always="always"
              onChange={(tree) => replace(index, { ...effect, if: tree })}
            />{" "}
            then{" "}
            {effect.then.map((action, at) => {
              const set = (change: Partial<typeof action>) =>
                replace(index, { ...effect, then: effect.then.map((old, place) => (place === at ? { ...old, ...change } : old)) });
              return (
                <span key={at}>
                  {at > 0 ? " and " : ""}
                  <PickOne
                    label="Effect"
                    options={options(["show", "hide", "require", "fill", "limit"])}
                    value={action.do}
                    onChange={(next) => set({ do: next, ...(next === "fill" ? { value: "" } : next === "limit" ? { choices: [] } : {}) })}
                  />{" "}
                  <PickOne label="Field" options={names} value={action.field} onChange={(field) => set({ field })} />
                  {action.do === "fill" ? (
                    <>
                      {" "}
                      with{" "}
                      <TextInput
                        label="Value"
                        className={`${smallInput} w-32`}
                        value={typeof action.value === "string" ? action.value : ""}
                        onChange={(value) => set({ value })}
                      />
                    </>
                  ) : null}
                  {action.do === "limit" ? (
                    <>
                      {" "}
                      to{" "}
                      <PickMany
                        label="Choices left"
                        placeholder="nothing"
                        joiner="or"
                        options={options(fields.find((field) => field.name === action.field)?.choices ?? [])}
                        value={action.choices ?? []}
                        onChange={(choices) => set({ choices })}
                      />
                    </>
                  ) : null}
                </span>
              );
            })}{" "}
            <button
              type="button"
              className="why text-ink-2"
              onClick={() => replace(index, { ...effect, then: [...effect.then, { do: "show", field: first }] })}
            >
              and…
            </button>
            <button
              type="button"
              aria-label="Remove the effect"
              className="ml-2 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => onChange(effects.filter((_, at) => at !== index))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
    </Part>
  );
}
