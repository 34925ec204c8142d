import type { MyThing, Outage } from "../../api/client";
import { when } from "../../parts/time";

/** The path of a thing: done, now, to come. */
export function StepPath({ steps }: { steps: MyThing["path"] }) {
  return (
    <ol className="flex min-w-0 flex-1 items-start" aria-label="Where it is">
      {steps.map((step, index) => (
        <li key={step.label} aria-current={step.is_now ? "step" : undefined} className="relative min-w-0 flex-1 text-center text-[13px]">
          {index > 0 ? (
            <span
              aria-hidden="true"
              className={`absolute right-1/2 top-[7px] w-full ${steps[index - 1]?.is_done && (step.is_done || step.is_now) ? "border-t-2 border-sea" : "border-t-2 border-dotted border-line-2"}`}
            />
          ) : null}
          <span
            aria-hidden="true"
            className={`relative z-[1] mx-auto block h-4 w-4 rounded-full border-2 ${
              step.is_now ? "border-crown bg-crown" : step.is_done ? "border-sea bg-sea" : "border-line-2 bg-sheet"
            }`}
          />
          <span className={`mt-1 block px-1 ${step.is_now ? "font-bold" : "text-ink-2"}`}>
            {step.label}
            <span className="sr-only">{step.is_done ? ", done" : step.is_now ? ", now" : ", to come"}</span>
          </span>
        </li>
      ))}
    </ol>
  );
}

export function whoHasIt(thing: { holder: string; team: string; is_open: boolean; state: string; waits_for?: string }): string {
  if (!thing.is_open) return thing.state;
  if (thing.waits_for) return thing.waits_for;
  return thing.holder ? `${thing.holder} has it` : `with ${thing.team}`;
}

export function OutageLine({ outage, now }: { outage: Outage; now: number }) {
  return (
    <div className="min-w-0">
      <p className="font-bold">{outage.title}</p>
      {outage.news ? <p className="mt-0.5 whitespace-pre-wrap">{outage.news}</p> : null}
      <p className="text-[14px] text-ink-2">
        Known since {when(outage.since_s, now)}
        {outage.next_news_s ? ` · next news ${outage.next_news_s < now ? "was due" : ""} ${when(outage.next_news_s, now)}` : ""}
      </p>
    </div>
  );
}
