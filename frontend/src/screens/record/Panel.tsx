import type { ReactNode } from "react";

interface PanelProps {
  title: string;
  note?: ReactNode;
  children: ReactNode;
}

/** One card of the column beside the conversation. */
export function Panel({ title, note, children }: PanelProps) {
  return (
    <section className="rounded-card border border-line bg-sheet px-3.5 py-2.5" aria-label={title}>
      <h2 className="mb-1 flex items-baseline gap-2 font-bold">
        {title}
        {note ? <span className="text-[13px] font-normal text-ink-2">{note}</span> : null}
      </h2>
      {children}
    </section>
  );
}
