import { asText } from "../../parts/text";
import type { ReactNode } from "react";
import { useNow } from "../../parts/hooks";
import { exact, when } from "../../parts/time";
import type { Outcome } from "./data";

export const NAMES: Record<string, string> = { "answer by": "response due", "fix by": "resolution due", agreement: "SLA" };

/** A value of an outcome, as people read it. */
export function ResultValue({ name, value }: { name: string; value: unknown }) {
  const now = useNow();
  if (value === null || value === undefined || value === "") return <>nothing</>;
  if (Array.isArray(value)) return <>{value.length > 0 ? value.join(", ") : "no rule"}</>;
  const text = asText(value);
  if (name.endsWith(" by")) {
    const seconds = Date.parse(text) / 1000;
    return <span title={exact(seconds)}>{when(seconds, now)}</span>;
  }
  return <>{text}</>;
}

export function expectedWords(pair: unknown, index: 0 | 1): string {
  const value = Array.isArray(pair) ? (pair[index] as unknown) : pair;
  if (value === null || value === undefined) return "nothing";
  if (Array.isArray(value)) return value.join(", ") || "no rule";
  const text = asText(value);
  return /^\d{4}-\d\d-\d\dT/.test(text) ? when(Date.parse(text) / 1000, Date.now() / 1000) : text;
}

/** What a rulebook makes of an example: each answer with the parts behind it. */
export function OutcomeView({ outcome, children }: { outcome: Outcome; children?: ReactNode }) {
  const now = useNow();
  return (
    <div>
      <table className="w-full">
        <tbody>
          {Object.entries(outcome.result).map(([name, value]) => (
            <tr key={name} className="border-b border-line align-top">
              <th scope="row" className="w-28 py-1.5 pr-3 text-left font-normal text-ink-2">
                {NAMES[name] ?? name}
              </th>
              <td className="py-1.5 pr-3 font-bold">
                <ResultValue name={name} value={value} />
              </td>
              <td className="py-1.5 text-[13px] text-ink-2">
                {(outcome.why[name] ?? []).map((step, index) => (
                  <span key={index} className={step.chosen ? "font-bold text-ink" : ""}>
                    {index > 0 ? " · " : ""}
                    {step.label}
                    {step.value ? `: ${step.value}` : ""}
                  </span>
                ))}
                {(outcome.ledgers[name.replace(" by", "")] ?? [])
                  .filter((row) => row.kind === "counted")
                  .map((row, index) => (
                    <span key={`l${index}`}>
                      {" "}
                      · {when(Date.parse(row.from) / 1000, now)} counted {Math.round(row.seconds / 60)} min
                    </span>
                  ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {children}
      <h3 className="mt-4 mb-1 font-bold">Rules, one after the other</h3>
      {outcome.rules.length === 0 ? <p className="text-ink-2">No rule waits for a new ticket.</p> : null}
      <ol>
        {outcome.rules.map((trace) => (
          <li key={trace.key} className="border-b border-line py-1.5">
            <span aria-hidden="true" className={trace.matched ? "text-sea" : "text-ink-3"}>
              {trace.matched ? "✓ " : "– "}
            </span>
            <b>{trace.name}</b>
            {trace.matched ? <span> → {trace.did.join("; ")}</span> : <span className="text-ink-2"> did not match: {trace.because}</span>}
            {trace.overridden.length > 0 ? <span className="text-ink-2"> over {trace.overridden.join(", ")}</span> : null}
            {trace.stopped ? <span className="text-ink-2"> and stopped here</span> : null}
            <ul className="ml-5 text-[13px]">
              {trace.leaves.map((leaf, index) => (
                <li key={index} className={leaf.holds ? "" : "text-ink-2"}>
                  {leaf.holds ? "✓" : "✕"} {leaf.says}
                  {leaf.holds ? "" : `, but it is ${shown(leaf.actual)}`}
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ol>
      <h3 className="mt-4 mb-1 font-bold">What would happen next, if nobody did anything</h3>
      <ol>
        {outcome.next.map((step, index) => (
          <li key={index} className="grid grid-cols-[130px_minmax(0,1fr)] gap-2 border-b border-line py-1">
            <span className="font-mono text-[13px]">{when(Date.parse(step.at) / 1000, now)}</span>
            <span>
              <b>{step.clock === "" ? step.when : step.when === "due" ? `${step.clock} due` : `${step.clock}, ${step.when}`}</b>
              {step.does.length > 0 ? `: ${step.does.join("; ")}` : ""}
            </span>
          </li>
        ))}
      </ol>
    </div>
  );
}

function shown(value: unknown): string {
  if (value === null || value === undefined || value === "" || (Array.isArray(value) && value.length === 0)) return "nothing";
  return Array.isArray(value) ? value.map(String).join(", ") : asText(value);
}
