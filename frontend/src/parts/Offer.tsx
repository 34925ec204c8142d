import { money } from "./money";
import type { LookedAt } from "../api/client";
import { FormFields } from "./FormFields";
import { OfferIcon } from "./OfferIcon";

export type Answers = Record<string, unknown>;

export function given(answers: Answers): Answers {
  return Object.fromEntries(Object.entries(answers).filter(([, value]) => value !== null && value !== ""));
}

export function givenParts(parts: Record<string, Answers>): Record<string, Answers> {
  return Object.fromEntries(Object.entries(parts).map(([key, answers]) => [key, given(answers)]));
}

interface PartsProps {
  parts: LookedAt["parts"];
  body: { chosen: string[]; parts: Record<string, Answers> };
  errors: Record<string, string>;
  onChosen: (chosen: string[]) => void;
  onAnswer: (part: string, field: string, value: unknown) => void;
}

/** The parts of a bundle: some always in it, some to be chosen, with what each still asks. */
export function Parts({ parts, body, errors, onChosen, onAnswer }: PartsProps) {
  return (
    <fieldset>
      <legend className="mb-1.5 font-semibold text-ink-2">What is in it</legend>
      <ul className="flex flex-col gap-2">
        {parts.map((part) => {
          const own = part.fields.filter((field) => field.is_shown && !part.filled.includes(field.field));
          const wrong = Object.fromEntries(
            Object.entries(errors)
              .filter(([name]) => name.startsWith(`${part.key}.`))
              .map(([name, says]) => [name.slice(part.key.length + 1), says]),
          );
          return (
            <li key={part.key} className={`rounded-card border bg-sheet px-4 py-2.5 ${part.is_chosen ? "border-sea" : "border-line"}`}>
              <label className="flex cursor-pointer items-center gap-3">
                <input
                  type="checkbox"
                  checked={part.is_chosen || body.chosen.includes(part.key)}
                  disabled={part.is_required}
                  onChange={(event) =>
                    onChosen(event.target.checked ? [...body.chosen, part.key] : body.chosen.filter((one) => one !== part.key))
                  }
                />
                <OfferIcon icon={part.icon} />
                <span className="min-w-0 flex-1">
                  <b>{part.name}</b> {part.is_required ? <span className="text-[14px] text-ink-2">always in it</span> : null}
                  <span className="block text-[14px] text-ink-2">{part.plain}</span>
                </span>
                <span className="text-right text-[14px]">{price(part.once_pence, part.monthly_pence)}</span>
              </label>
              {own.length > 0 ? (
                <div className="mt-2 border-t border-line pt-2">
                  <FormFields
                    states={own}
                    answers={body.parts[part.key] ?? {}}
                    errors={wrong}
                    onChange={(name, value) => onAnswer(part.key, name, value)}
                  />
                </div>
              ) : null}
            </li>
          );
        })}
      </ul>
    </fieldset>
  );
}

export function price(once: number, monthly: number): string {
  const words = [once ? `${money(once)}` : "", monthly ? `${money(monthly)} a month` : ""].filter(Boolean);
  return words.join(" + ") || "no cost";
}

/** What it comes to: cost, promise, and who decides, as things stand. */
export function Terms({ looked }: { looked: LookedAt }) {
  const asks = looked.decides.filter((one) => !one.is_skipped);
  return (
    <aside aria-label="What it comes to" aria-live="polite" className="sticky top-4 rounded-card border border-line bg-sheet px-4 py-3">
      <dl className="flex flex-col gap-2.5">
        <div>
          <dt className="text-[14px] text-ink-2">Cost</dt>
          <dd className="text-[18px] font-bold">{price(looked.once_pence, looked.monthly_pence)}</dd>
        </div>
        {looked.promise ? (
          <div>
            <dt className="text-[14px] text-ink-2">When</dt>
            <dd>{looked.promise}, once approved</dd>
          </div>
        ) : null}
        <div>
          <dt className="text-[14px] text-ink-2">Approvers</dt>
          <dd>
            {asks.length === 0 ? "No approval needed." : null}
            <ol>
              {asks.map((one) => (
                <li key={one.name}>
                  {one.name}:{" "}
                  <b>
                    {one.people.length > 3
                      ? `${one.people.slice(0, 2).join(", ")} and ${one.people.length - 2} more`
                      : one.people.join(", ")}
                  </b>
                </li>
              ))}
            </ol>
          </dd>
        </div>
      </dl>
    </aside>
  );
}
