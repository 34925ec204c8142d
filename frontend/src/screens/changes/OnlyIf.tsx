import { useState } from "react";
import { inputClass } from "../../parts/ui";

interface Condition {
  output: string;
  is: string;
}

/** What an earlier step must have yielded for this one to be done at all; opened where it is wanted. */
export function OnlyIf({ step, onChange }: { step: { says: string; only_if: Condition }; onChange: (said: Condition) => void }) {
  const [isOpen, setOpen] = useState(step.only_if.output !== "" || step.only_if.is !== "");
  if (!isOpen)
    return (
      <button
        type="button"
        className="min-h-[24px] text-[13px] underline"
        aria-label={`only if… of “${step.says}”`}
        onClick={() => setOpen(true)}
      >
        only if…
      </button>
    );
  return (
    <span className="inline-flex flex-wrap items-center gap-1.5 text-[13px]">
      only if the output
      <input
        aria-label="Which output of an earlier step"
        maxLength={60}
        className={`${inputClass} !w-[130px]`}
        value={step.only_if.output}
        onChange={(event) => onChange({ ...step.only_if, output: event.target.value })}
      />
      is
      <input
        aria-label="What it must be"
        maxLength={200}
        className={`${inputClass} !w-[130px]`}
        value={step.only_if.is}
        onChange={(event) => onChange({ ...step.only_if, is: event.target.value })}
      />
      <button
        type="button"
        className="min-h-[24px] underline"
        onClick={() => {
          onChange({ output: "", is: "" });
          setOpen(false);
        }}
      >
        always
      </button>
    </span>
  );
}
