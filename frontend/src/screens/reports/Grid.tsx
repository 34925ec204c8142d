import type { ReactNode } from "react";

interface Named {
  kind: string;
  report?: string;
  name?: string;
  text?: string;
}

/** Rows of parts side by side; one below the other where there is little room. */
export function Grid<T extends Named>({ rows, render }: { rows: T[][]; render: (part: T) => ReactNode }) {
  return (
    <div className="mt-3 flex flex-col gap-3">
      {rows.map((row, index) => (
        <div
          key={index}
          className="grid gap-3 max-[900px]:!grid-cols-1"
          style={{ gridTemplateColumns: `repeat(${row.length}, minmax(0, 1fr))` }}
        >
          {row.map((part, at) => (
            <section
              key={at}
              aria-label={part.kind === "text" ? "Text" : part.name || part.text || part.report || part.kind}
              className="min-w-0 rounded-card border border-line bg-sheet p-3"
            >
              {render(part)}
            </section>
          ))}
        </div>
      ))}
      {rows.length === 0 ? <p className="text-ink-2">It has no parts yet.</p> : null}
    </div>
  );
}
