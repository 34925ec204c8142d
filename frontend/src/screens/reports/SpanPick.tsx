import { Popover } from "radix-ui";
import { useState } from "react";
import { cardClass, wordClass } from "../../parts/picks";
import { Button, inputClass } from "../../parts/ui";
import { type Definition, spanWords } from "./report";

interface SpanProps {
  span: Definition["span"];
  spans: string[];
  onChange: (span: Definition["span"]) => void;
}

/** The span of a report: one of the usual ones, or from one day to another. */
export function SpanPick({ span, spans, onChange }: SpanProps) {
  const [isOpen, setOpen] = useState(false);
  const [first, setFirst] = useState(typeof span === "string" ? "" : span.from);
  const [last, setLast] = useState(typeof span === "string" ? "" : span.to);
  const isWrong = first !== "" && last !== "" && last < first;
  const pick = (next: Definition["span"]) => {
    onChange(next);
    setOpen(false);
  };
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className={wordClass} aria-label={`Span: ${spanWords(span)}`}>
        {spanWords(span)}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} collisionPadding={12} className={cardClass} aria-label="Span">
          <ul>
            {spans.map((one) => (
              <li key={one}>
                <button
                  type="button"
                  className={`w-full rounded px-2 py-1 text-left hover:bg-sea-3 ${one === span ? "font-bold" : ""}`}
                  onClick={() => pick(one)}
                >
                  {one}
                </button>
              </li>
            ))}
          </ul>
          <form
            className="mt-2 border-t border-line pt-2"
            onSubmit={(event) => {
              event.preventDefault();
              if (first && last && !isWrong) pick({ from: first, to: last });
            }}
          >
            <label className="block">
              from
              <input type="date" className={inputClass} value={first} onChange={(event) => setFirst(event.target.value)} />
            </label>
            <label className="mt-1 block">
              to, with that day
              <input type="date" className={inputClass} value={last} onChange={(event) => setLast(event.target.value)} />
            </label>
            {isWrong ? <p className="text-rust">It ends before it begins.</p> : null}
            <Button className="mt-2" type="submit" disabled={!first || !last || isWrong}>
              Take these days
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
