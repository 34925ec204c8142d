import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../../api/client";
import { inputClass } from "../../parts/ui";

interface ByItself {
  runbook: string;
  inputs: Record<string, string>;
  outputs: string[];
}

interface StepProps {
  step: ByItself;
  name: string;
  /** Those that there are: from the desk, or from the words of the rulebook. */
  runbooks: { key: string; name: string; inputs: Record<string, string> }[];
  onChange: (change: Partial<ByItself>) => void;
}

export function useRunbooks() {
  const { data } = useQuery({ queryKey: ["runbooks"], queryFn: () => ok(api.GET("/api/runbooks")), staleTime: 300_000 });
  return data ?? [];
}

/** What does a step by itself once it is a task: a runbook with its inputs, and what the step yields. */
export function StepRunbook({ step, name, runbooks, onChange }: StepProps) {
  const chosen = runbooks.find((one) => one.key === step.runbook);
  // What is typed keeps its commas until the field is left.
  const [typed, setTyped] = useState<string | null>(null);
  const pick = (key: string) =>
    onChange({
      runbook: key,
      inputs: Object.fromEntries(
        Object.keys(runbooks.find((one) => one.key === key)?.inputs ?? {}).map((input) => [input, step.inputs[input] ?? ""]),
      ),
    });
  return (
    <span className="flex w-full flex-wrap items-center gap-1.5 pb-1 pl-3 text-[13px] text-ink-2">
      done
      <select
        aria-label={`Who or what does “${name}”`}
        className={`${inputClass} !w-auto`}
        value={step.runbook}
        onChange={(event) => pick(event.target.value)}
      >
        <option value="">by hand</option>
        {runbooks.map((one) => (
          <option key={one.key} value={one.key}>
            by itself: {one.name}
          </option>
        ))}
      </select>
      {chosen
        ? Object.entries(chosen.inputs).map(([input, label]) => (
            <label key={input} className="flex items-center gap-1">
              {label}
              <input
                className={`${inputClass} !w-[150px]`}
                placeholder="words, or {name}"
                maxLength={500}
                value={step.inputs[input] ?? ""}
                onChange={(event) => onChange({ inputs: { ...step.inputs, [input]: event.target.value } })}
              />
            </label>
          ))
        : null}
      <label className="flex items-center gap-1">
        yields
        <input
          className={`${inputClass} !w-[130px]`}
          placeholder="nothing"
          value={typed ?? step.outputs.join(", ")}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={() => {
            if (typed !== null) onChange({ outputs: named(typed) });
            setTyped(null);
          }}
        />
      </label>
    </span>
  );
}

/** Names as they are written with commas between them, each once. */
function named(text: string): string[] {
  return [
    ...new Set(
      text
        .split(",")
        .map((one) => one.trim())
        .filter((one) => one !== ""),
    ),
  ];
}
