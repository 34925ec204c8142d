import { ArrowDown, ArrowUp } from "lucide-react";
import { type ReactNode, useEffect, useState } from "react";
import { Button, inputClass } from "../../parts/ui";
import { type Editing } from "./data";
import { readSpan } from "./edits";
import { spanWords } from "./edits";

export { options, PickMany, PickOne } from "../../parts/picks";

interface SpanInputProps {
  label: string;
  seconds: number | undefined;
  onChange: (seconds: number | undefined) => void;
  canBeEmpty?: boolean;
  className?: string;
}

/** A length of service time, written as people write it: "2 h", "90 min". */
export function SpanInput({ label, seconds, onChange, canBeEmpty = false, className = "w-[78px]" }: SpanInputProps) {
  const shown = seconds === undefined ? "" : spanWords(seconds);
  const [text, setText] = useState(shown);
  const [isWrong, setWrong] = useState(false);
  useEffect(() => setText(shown), [shown]);
  const settle = () => {
    const read = text.trim() === "" && canBeEmpty ? undefined : readSpan(text);
    if (read === null || (read !== undefined && read <= 0 && !canBeEmpty)) return setWrong(true);
    setWrong(false);
    setText(read === undefined ? "" : spanWords(read));
    if (read !== seconds) onChange(read);
    return undefined;
  };
  return (
    <input
      aria-label={label}
      aria-invalid={isWrong || undefined}
      title={isWrong ? "Write a length such as 2 h, 90 min or 1 h 30" : undefined}
      className={`rounded-small border border-line-2 bg-sheet px-2 py-0.5 font-bold aria-[invalid]:border-rust ${className}`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={settle}
      onKeyDown={(event) => {
        if (event.key === "Enter") settle();
        if (event.key === "Escape") setText(shown);
      }}
    />
  );
}

/** A text kept when one leaves the field, so that each word is not an edit of its own. */
export function TextInput({
  label,
  value,
  onChange,
  className = inputClass,
  isLong = false,
  isName = false,
  placeholder,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  className?: string;
  isLong?: boolean;
  /** Whether it is what the entry is called: renaming goes there. */
  isName?: boolean;
  placeholder?: string;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const props = {
    "data-name": isName || undefined,
    "aria-label": label,
    className,
    value: text,
    placeholder,
    onChange: (event: { target: { value: string } }) => {
      setText(event.target.value);
      onChange(event.target.value);
    },
  };
  return isLong ? <textarea rows={3} {...props} /> : <input {...props} />;
}

interface OrderProps {
  index: number;
  count: number;
  name: string;
  onMove: (to: number) => void;
}

export function OrderButtons({ index, count, name, onMove }: OrderProps) {
  return (
    <span className="inline-flex">
      <button
        type="button"
        className="grid h-[24px] w-[24px] place-items-center rounded text-ink-2 hover:bg-sea-3 disabled:opacity-30"
        disabled={index === 0}
        aria-label={`Move ${name} up`}
        onClick={() => onMove(index - 1)}
      >
        <ArrowUp size={14} aria-hidden="true" />
      </button>
      <button
        type="button"
        className="grid h-[24px] w-[24px] place-items-center rounded text-ink-2 hover:bg-sea-3 disabled:opacity-30"
        disabled={index === count - 1}
        aria-label={`Move ${name} down`}
        onClick={() => onMove(index + 1)}
      >
        <ArrowDown size={14} aria-hidden="true" />
      </button>
    </span>
  );
}

export function moved<T>(list: T[], from: number, to: number): T[] {
  const next = [...list];
  const [one] = next.splice(from, 1);
  if (one !== undefined) next.splice(to, 0, one);
  return next;
}

/** What stands over an entry that somebody else changed, or that could not be kept. */
export function EditState<T>({ editing }: { editing: Editing<T> }) {
  if (editing.theirs !== null)
    return (
      <div role="alert" className="my-2 flex flex-wrap items-center gap-3 rounded-small border border-crown bg-crown-2 px-3 py-2">
        <span className="flex-1">
          <b>Somebody else has changed this</b> while you were editing it. Yours is not saved yet.
        </span>
        <Button onClick={editing.keepTheirs}>Take theirs</Button>
        <Button tone="sea" onClick={editing.keepMine}>
          Keep mine
        </Button>
      </div>
    );
  if (editing.problem)
    return (
      <p role="alert" className="my-2 rounded-small border border-rust/40 bg-rust-2 px-3 py-2">
        Not saved yet: {editing.problem}
      </p>
    );
  return null;
}

export function Part({ title, children, aside }: { title: string; children: ReactNode; aside?: ReactNode }) {
  return (
    <section className="mt-5">
      <div className="mb-1.5 flex items-baseline justify-between gap-3">
        <h3 className="font-bold">{title}</h3>
        {aside}
      </div>
      {children}
    </section>
  );
}

export const smallInput = "rounded-small border border-line-2 bg-sheet px-2 py-0.5 leading-normal";

/** Several short texts, one to a line: a comma is part of a text. */
export function LinesInput({ label, lines, onChange }: { label: string; lines: string[]; onChange: (lines: string[]) => void }) {
  const stored = lines.join("\n");
  const [text, setText] = useState(stored);
  const shown = linesOf(text).join("\n") === stored ? text : stored;
  return (
    <label className="mt-1 block text-[13px] text-ink-2">
      {label}
      <textarea
        rows={Math.min(12, Math.max(2, shown.split("\n").length))}
        className={`${smallInput} mt-0.5 block h-auto w-full max-w-[420px] py-1 text-ink`}
        value={shown}
        onChange={(event) => {
          setText(event.target.value);
          onChange(linesOf(event.target.value));
        }}
      />
    </label>
  );
}

function linesOf(text: string): string[] {
  const lines = text
    .split("\n")
    .map((one) => one.trim())
    .filter(Boolean);
  return [...new Set(lines)];
}
