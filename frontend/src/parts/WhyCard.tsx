import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { type ReactNode, useState } from "react";
import { api, ok, sentence, type Step } from "../api/client";
import { useNow } from "./hooks";
import { clockTime, exact, span, when } from "./time";

interface WhyCardProps {
  number: number;
  /** What to explain: priority, agreement, team, holder, clock:kind/holder. */
  of: string;
  children?: ReactNode;
  label?: string;
}

/** The why note behind a computed value: its parts, which add up to the answer. */
export function WhyCard({ number, of, children, label }: WhyCardProps) {
  const [isOpen, setOpen] = useState(false);
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button type="button" className="why text-left text-ink-2 hover:text-ink" aria-label={label ?? `why: ${of}`}>
          {children ?? "why"}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={12}
          className="z-40 max-h-[70vh] w-[min(430px,92vw)] overflow-y-auto rounded-card border border-line-2 bg-sheet px-4 py-3 text-ink"
        >
          <Explained number={number} of={of} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Explained({ number, of }: { number: number; of: string }) {
  const { data, error } = useQuery({
    queryKey: ["why", number, of],
    queryFn: () => ok(api.GET("/api/tickets/{number}/why", { params: { path: { number }, query: { of } } })),
    staleTime: 0,
  });
  if (error) return <p>{sentence(error)}</p>;
  if (!data) return <p role="status">Reading why…</p>;
  return (
    <>
      <h2 className="font-bold">
        {data.title} <span className="font-normal text-ink-2">{data.subtitle}</span>
      </h2>
      {data.steps.length === 0 ? <p className="mt-1 text-ink-2">Nothing more is known about it.</p> : null}
      <ul className="mt-1">
        {data.steps.map((step, index) => (
          <StepLine key={index} step={step} />
        ))}
      </ul>
    </>
  );
}

/** A why card of steps that are at hand already. */
export function StepsCard({ title, steps }: { title: string; steps: Step[] }) {
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="why text-ink-2 hover:text-ink" aria-label={`why: ${title}`}>
          why
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          collisionPadding={12}
          className="z-[60] max-h-[70vh] w-[min(430px,92vw)] overflow-y-auto rounded-card border border-line-2 bg-sheet px-4 py-3 text-ink"
        >
          <h2 className="font-bold">{title}</h2>
          <ul className="mt-1">
            {steps.map((step, index) => (
              <StepLine key={index} step={step} />
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function StepLine({ step }: { step: Step }) {
  const now = useNow();
  const heading =
    step.from_s !== undefined && step.to_s !== undefined ? `${when(step.from_s, now)} – ${clockTime(step.to_s)} ${step.label}` : step.label;
  const value = valueOf(step, now);
  const isLong = (step.value?.length ?? 0) > 34;
  const strong = step.is_total || step.chosen;
  return (
    <li
      className={`border-t border-line py-1.5 first:border-t-0 ${isLong ? "" : "flex items-baseline justify-between gap-4"} ${strong ? "font-bold" : ""}`}
    >
      <span>
        {step.chosen ? <span aria-hidden="true">✓ </span> : null}
        {heading}
      </span>
      <span
        className={`${isLong ? "block text-ink-2" : "shrink-0 text-right"} ${step.is_apart ? "text-ink-2" : ""} ${strong ? "" : "font-normal"}`}
        title={step.at_s ? exact(step.at_s) : undefined}
      >
        {value}
      </span>
    </li>
  );
}

function valueOf(step: Step, now: number): string {
  if (step.from_seconds !== undefined && step.seconds !== undefined) return `${span(step.from_seconds)} → ${span(step.seconds)}`;
  if (step.seconds !== undefined) return step.is_apart ? `${span(step.seconds)} apart` : span(step.seconds);
  if (step.at_s !== undefined) return [step.value, when(step.at_s, now)].filter(Boolean).join(" · ");
  return step.value ?? "";
}
