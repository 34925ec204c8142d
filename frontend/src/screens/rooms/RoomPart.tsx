/** One part of what stands beside the talk. */
export function Part({
  title,
  note,
  children,
  action,
}: {
  title: string;
  note?: string;
  children: React.ReactNode;
  action?: React.ReactNode;
}) {
  return (
    <section aria-label={title} className="border-t border-line px-3.5 py-2 first:border-t-0">
      <div className="flex flex-wrap items-baseline gap-2">
        <h2 className="font-bold">{title}</h2>
        {note ? <span className="text-[13px] text-ink-2">{note}</span> : null}
        <span className="ml-auto">{action}</span>
      </div>
      {children}
    </section>
  );
}
