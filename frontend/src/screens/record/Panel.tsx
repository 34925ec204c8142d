import type { ReactNode } from "react";

interface PanelProps {
  title: string;
  note?: ReactNode;
  /** Whether it is drawn closed, to be opened. */
  isFolded?: boolean;
  children: ReactNode;
}

/** One card of the column beside the conversation. */
export function Panel({ title, note, isFolded = false, children }: PanelProps) {
  const head = (
    <>
      {title}
      {note ? <span className="ml-2 text-[13px] font-normal text-ink-2">{note}</span> : null}
    </>
  );
  return (
    <section className="rounded-card border border-line bg-sheet px-3.5 py-2.5" aria-label={title}>
      {isFolded ? (
        <details>
          <summary className="min-h-[24px] cursor-pointer font-bold">{head}</summary>
          {children}
        </details>
      ) : (
        <>
          <h2 className="mb-1 font-bold">{head}</h2>
          {children}
        </>
      )}
    </section>
  );
}
