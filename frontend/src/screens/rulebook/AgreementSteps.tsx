import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { ActionsEditor } from "./ActionsEditor";
import { type Agreement, fieldsOf, type Step, useBook } from "./data";
import { keyFrom } from "./edits";
import { moved, OrderButtons, Part, PickOne, smallInput, SpanInput, TextInput } from "./parts";
import { momentWords, StepsTimeline } from "./StepsTimeline";

const MOMENTS = [
  { key: "before_due", name: "before due" },
  { key: "at_percent", name: "% gone" },
  { key: "after_due", name: "after due" },
];

export function Steps({ one, onChange }: { one: Agreement; onChange: (steps: Step[]) => void }) {
  const { words } = useBook();
  const steps = one.steps ?? [];
  const kinds = words.clocks.filter((clock) => clock.of === one.kind).map((clock) => ({ key: clock.key, name: clock.label || clock.key }));
  const clocks = one.kind === "customer" ? [...kinds, { key: "untouched", name: "not worked on" }] : kinds;
  const replace = (index: number, step: Step) => onChange(steps.map((old, at) => (at === index ? step : old)));
  const add = () =>
    onChange([
      ...steps,
      {
        key: keyFrom(
          "step",
          steps.map((step) => step.key),
        ),
        clock: one.kind === "customer" ? "fix" : (kinds[0]?.key ?? ""),
        moment: { at_percent: 50 },
        then: [{ do: "notify", who: ["holder"], message: "half gone" }],
      },
    ]);
  return (
    <Part
      title="Escalation steps"
      aside={
        <button type="button" className="why text-ink-2" onClick={add}>
          add a step
        </button>
      }
    >
      {steps.length > 0 ? <StepsTimeline agreement={one} /> : <p className="text-ink-2">Nobody is notified before the target runs out.</p>}
      <ol className="flex flex-col gap-2">
        {steps.map((step, index) => (
          <li key={step.key} className="rounded-small border border-line px-3 py-2">
            <div className="flex flex-wrap items-center gap-x-2 gap-y-1">
              <PickOne
                label="Clock"
                options={clocks}
                value={step.clock}
                onChange={(clock) =>
                  replace(index, {
                    ...step,
                    clock,
                    moment: clock === "untouched" ? { untouched: 4 * 3600 } : "untouched" in step.moment ? { at_percent: 50 } : step.moment,
                  })
                }
              />
              <MomentWords step={step} index={index} onChange={(moment) => replace(index, { ...step, moment })} />
              <span className="text-ink-2">called</span>
              <TextInput
                label={`Name of step ${index + 1}`}
                className={`${smallInput} w-40`}
                placeholder={momentWords(step)}
                value={step.name ?? ""}
                onChange={(name) => replace(index, named(step, name))}
              />
              <span className="flex-1" />
              <OrderButtons
                index={index}
                count={steps.length}
                name={step.name ?? step.key}
                onMove={(to) => onChange(moved(steps, index, to))}
              />
              <button
                type="button"
                className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                aria-label={`Remove the step ${step.name ?? step.key}`}
                onClick={() => onChange(steps.filter((_, at) => at !== index))}
              >
                ×
              </button>
            </div>
            <p className="mt-1 leading-7">
              <span className="text-ink-2">if </span>
              <ConditionSentence
                fields={fieldsOf(words)}
                tree={step.if ?? { all: [] }}
                always="always"
                onChange={(tree) => replace(index, "all" in tree && tree.all.length === 0 ? without(step) : { ...step, if: tree })}
              />
            </p>
            <ActionsEditor actions={step.then} onChange={(then) => replace(index, { ...step, then })} />
          </li>
        ))}
      </ol>
    </Part>
  );
}

/** A step without a name of its own is called by its moment. */
function named(step: Step, name: string): Step {
  const { name: _old, ...rest } = step;
  return name === "" ? rest : { ...rest, name };
}

function without(step: Step): Step {
  const { if: _gone, ...rest } = step;
  return rest;
}

function MomentWords({ step, index, onChange }: { step: Step; index: number; onChange: (moment: Record<string, number>) => void }) {
  const [kind = "at_percent", amount = 50] = Object.entries(step.moment)[0] ?? [];
  if (kind === "untouched")
    return (
      <>
        for{" "}
        <SpanInput
          label={`Untouched for, step ${index + 1}`}
          seconds={amount}
          onChange={(seconds) => onChange({ untouched: seconds ?? 3600 })}
        />
      </>
    );
  return (
    <>
      {kind === "at_percent" ? (
        <input
          type="number"
          min={0}
          max={500}
          aria-label={`Percent of step ${index + 1}`}
          className={`${smallInput} w-16 font-bold`}
          value={amount}
          onChange={(event) => onChange({ at_percent: Math.max(0, +event.target.value) })}
        />
      ) : (
        <SpanInput
          label={`How long of step ${index + 1}`}
          seconds={amount}
          canBeEmpty
          onChange={(seconds) => onChange({ [kind]: seconds ?? 0 })}
        />
      )}
      <PickOne
        label={`Moment of step ${index + 1}`}
        options={MOMENTS}
        value={kind}
        onChange={(next) => onChange({ [next]: next === "at_percent" ? 50 : 1800 })}
      />
    </>
  );
}
