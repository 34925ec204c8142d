import { CalendarDays } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { serverNow } from "./hooks";
import { exact, instantOfLocal, span } from "./time";
import { readTime } from "./typedTime";
import { inputClass } from "./ui";

interface WhenInputProps {
  /** A local time, “2026-11-25T09:00”, or nothing. */
  value: string;
  onChange: (value: string) => void;
  /** Whether only a day is wanted: the values are days, “2026-11-25”. */
  isDay?: boolean;
  /** The earliest local time that may be chosen. */
  min?: string;
  className?: string;
  isReadOnly?: boolean;
  autoFocus?: boolean;
  required?: boolean;
  props?: { id?: string; "aria-invalid"?: true; "aria-describedby"?: string; "aria-label"?: string };
}

/** A time typed as people say it, or picked; beneath it stands what was understood. */
export function WhenInput({
  value,
  onChange,
  min,
  className = inputClass,
  props = {},
  isReadOnly = false,
  isDay = false,
  ...rest
}: WhenInputProps) {
  const input = useRef<HTMLInputElement>(null);
  const picker = useRef<HTMLInputElement>(null);
  const [text, setText] = useState(() => shown(value));
  const [handed, setHanded] = useState(value);
  if (value !== handed) {
    // Chosen elsewhere, or cleared.
    setHanded(value);
    setText(shown(value));
  }
  const now = serverNow();
  const readText = (typed: string, at: number) => {
    const found = readTime(typed, at);
    return isDay && "at" in found ? { at: found.at.slice(0, 10) } : found;
  };
  const read = text === shown(value) ? { at: value } : readText(text, now);
  const early = "at" in read && read.at !== "" && min !== undefined && read.at < min ? "That has passed already." : "";
  const wrong = "problem" in read ? read.problem : early;
  useEffect(() => input.current?.setCustomValidity(wrong), [wrong]);
  const take = (next: string) => {
    setHanded(next);
    onChange(next);
  };
  const at = value === "" || wrong ? null : instantOfLocal(value);
  return (
    <span className={`relative inline-flex flex-col ${isDay ? "align-top" : "w-full"}`}>
      <span className="flex items-center gap-1">
        <input
          {...props}
          {...rest}
          ref={input}
          type="text"
          autoComplete="off"
          placeholder={isDay ? "1 April, next Mon" : "tomorrow 9, Fri 14:00, in 2 h"}
          disabled={isReadOnly}
          aria-invalid={wrong || props["aria-invalid"] ? true : undefined}
          className={`${className} ${wrong ? "!border-rust" : ""}`}
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            const next = readText(event.target.value, serverNow());
            if ("at" in next) take(next.at);
          }}
          onBlur={() => {
            if (!wrong) setText(shown(value));
          }}
        />
        <button
          type="button"
          aria-label="Pick from a calendar"
          className="flex h-[30px] w-[30px] shrink-0 items-center justify-center rounded-small border border-line-2 text-ink-2 hover:bg-sea-3"
          disabled={isReadOnly}
          onClick={() => picker.current?.showPicker()}
        >
          <CalendarDays size={15} aria-hidden="true" />
        </button>
      </span>
      <input
        ref={picker}
        type={isDay ? "date" : "datetime-local"}
        tabIndex={-1}
        aria-hidden="true"
        className="pointer-events-none absolute bottom-0 right-0 h-0 w-0 opacity-0"
        min={min}
        value={value}
        onChange={(event) => {
          take(event.target.value);
          setText(shown(event.target.value));
        }}
      />
      {wrong ? (
        <span role="alert" className="text-[13px] text-rust">
          {wrong}
        </span>
      ) : at !== null && !isDay ? (
        <span className="text-[13px] text-ink-2">
          {exact(at)}
          {at > now ? `, in ${span(at - now)}` : `, ${span(now - at)} ago`}
        </span>
      ) : null}
    </span>
  );
}

/** A local time as it is typed: the day first, 24 hours. */
function shown(value: string): string {
  if (value === "") return "";
  const at = new Date(value.length === 10 ? value : `${value}Z`);
  if (Number.isNaN(at.getTime())) return value;
  const parts = new Intl.DateTimeFormat("en-GB", { timeZone: "UTC", day: "numeric", month: "short", year: "numeric" }).format(at);
  return `${parts} ${value.slice(11, 16)}`.trim();
}
