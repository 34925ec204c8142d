import { useEffect, useRef, useState } from "react";
import { currencySign } from "./money";
import { readAmount, writeAmount } from "./amounts";
import { inputClass } from "./ui";

interface AmountProps {
  /** The number, or null when the field is empty. */
  value: number | null;
  onChange: (value: number | null) => void;
  isMoney?: boolean;
  least?: number | undefined;
  most?: number | undefined;
  isReadOnly?: boolean;
  className?: string;
  props?: { id?: string; "aria-invalid"?: true; "aria-describedby"?: string; "aria-label"?: string };
}

/**
 * A number or an amount, typed as the reader writes it. What cannot be read is refused here,
 * stays in the field, and keeps its form from being sent; it is never handed on as nothing.
 */
export function AmountInput({ value, onChange, isMoney, least, most, isReadOnly, className = inputClass, props = {} }: AmountProps) {
  const input = useRef<HTMLInputElement>(null);
  const [text, setText] = useState(() => writeAmount(value, isMoney));
  const [handed, setHanded] = useState(value);
  if (value !== handed) {
    // Changed from outside: undone, read again, filled in by a form.
    setHanded(value);
    setText(writeAmount(value, isMoney));
  }
  const read = readAmount(text, { isMoney: isMoney === true, least, most });
  const wrong = typeof read === "string" ? read : "";
  useEffect(() => input.current?.setCustomValidity(wrong), [wrong]);
  return (
    <span className="inline-flex w-full flex-col">
      <span className="flex items-center gap-1">
        {isMoney ? <span aria-hidden="true">{currencySign()}</span> : null}
        <input
          {...props}
          ref={input}
          type="text"
          inputMode="decimal"
          disabled={isReadOnly}
          aria-invalid={wrong || props["aria-invalid"] ? true : undefined}
          className={`${className} ${wrong ? "!border-rust" : ""}`}
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            const next = readAmount(event.target.value, { isMoney: isMoney === true, least, most });
            if (typeof next === "string") return;
            setHanded(next);
            onChange(next);
          }}
        />
      </span>
      {wrong ? (
        <span role="alert" className="text-[13px] text-rust">
          {wrong}
        </span>
      ) : null}
    </span>
  );
}
