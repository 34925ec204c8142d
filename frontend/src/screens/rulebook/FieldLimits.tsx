import { AmountInput } from "../../parts/AmountInput";
import { FieldInput } from "../../parts/FormFields";
import { type CustomField } from "./FormEffects";
import { smallInput, TextInput } from "./parts";

interface LimitsProps {
  field: CustomField;
  onChange: (change: Partial<CustomField>) => void;
}

const HAS_DEFAULT = new Set(["text", "long text", "number", "money", "choice", "several choices", "yes/no"]);

/** What a field begins with, and what it takes: bounds, lengths, a shape, first and last day. */
export function FieldLimits({ field, onChange }: LimitsProps) {
  const isNumber = field.type === "number" || field.type === "money";
  const isText = field.type === "text" || field.type === "long text";
  if (!HAS_DEFAULT.has(field.type) && field.type !== "date") return null;
  return (
    <details className="mt-1 text-[13px]" open={saysAny(field)}>
      <summary className="min-h-[24px] cursor-pointer text-ink-2">What it takes, and begins with</summary>
      <div className="flex flex-wrap items-start gap-x-4 gap-y-1 py-1">
        {isNumber ? (
          <>
            <Labelled label="at least">
              <Bound field={field} name="minimum" onChange={onChange} />
            </Labelled>
            <Labelled label="at most">
              <Bound field={field} name="maximum" onChange={onChange} />
            </Labelled>
          </>
        ) : null}
        {isText ? (
          <>
            <Labelled label="at least so many characters">
              <Bound field={field} name="least_length" onChange={onChange} />
            </Labelled>
            <Labelled label="at most">
              <Bound field={field} name="most_length" onChange={onChange} />
            </Labelled>
          </>
        ) : null}
        {field.type === "text" ? (
          <Labelled label="written like (# a digit, @ a letter, ? either)">
            <TextInput
              label={`Pattern of ${field.label}`}
              placeholder="TILL-###"
              className={`${smallInput} w-32`}
              value={field.pattern ?? ""}
              onChange={(pattern) => onChange({ pattern: pattern || undefined })}
            />
          </Labelled>
        ) : null}
        {field.type === "date" ? (
          <>
            <Labelled label="not before (a date, today, today+14)">
              <TextInput
                label={`First day of ${field.label}`}
                className={`${smallInput} w-28`}
                value={field.first_day ?? ""}
                onChange={(day) => onChange({ first_day: day || undefined })}
              />
            </Labelled>
            <Labelled label="not after">
              <TextInput
                label={`Last day of ${field.label}`}
                className={`${smallInput} w-28`}
                value={field.last_day ?? ""}
                onChange={(day) => onChange({ last_day: day || undefined })}
              />
            </Labelled>
          </>
        ) : null}
        {HAS_DEFAULT.has(field.type) ? (
          <Labelled label="begins with">
            <FieldInput
              props={{ "aria-label": `Default of ${field.label}` }}
              state={{
                field: field.key,
                label: field.label,
                type: field.type,
                hint: "",
                is_shown: true,
                is_required: false,
                is_read_only: false,
                value: null,
                limits: {},
                choices: (field.choices ?? []).map((one) => ({ key: one, label: one })),
              }}
              value={field.default ?? null}
              onChange={(value) => onChange({ default: (value ?? undefined) as CustomField["default"] })}
            />
          </Labelled>
        ) : null}
      </div>
    </details>
  );
}

type BoundName = "minimum" | "maximum" | "least_length" | "most_length";

function Bound({ field, name, onChange }: LimitsProps & { name: BoundName }) {
  const isLength = name.endsWith("length");
  return (
    <span className="inline-block w-24">
      <AmountInput
        isMoney={field.type === "money"}
        least={isLength ? 0 : field.type === "money" ? 0 : -1e9}
        props={{ "aria-label": `${name.replace("_", " ")} of ${field.label}` }}
        className={`${smallInput} w-20`}
        value={field[name] ?? null}
        onChange={(value) => onChange({ [name]: value === null ? undefined : isLength ? Math.round(value) : value })}
      />
    </span>
  );
}

function Labelled({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <span className="flex flex-col text-ink-2">
      {label}
      {children}
    </span>
  );
}

function saysAny(field: CustomField): boolean {
  const { minimum, maximum, least_length, most_length, pattern, first_day, last_day } = field;
  return [minimum, maximum, least_length, most_length, pattern, first_day, last_day, field.default].some((one) => one !== undefined);
}
