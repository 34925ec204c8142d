interface PlannedRow {
  title: string;
  /** Start and finish in minutes from the beginning. */
  earliest: number[];
  latest: number[];
  is_critical: boolean;
  words: string;
}

/** Tasks on one line of time: when each can run, how far it can slip, which decide the end. */
export function PlanBars({ rows, length }: { rows: PlannedRow[]; length: number }) {
  const share = (minutes: number) => `${(100 * minutes) / Math.max(1, length)}%`;
  return (
    <ul className="mt-1 flex flex-col gap-1" aria-label="Plan of the tasks">
      {rows.map(({ title, earliest: [from = 0, to = 0], latest: [, until = 0], is_critical, words }) => (
        <li key={title} className="text-[13px]">
          <span className="flex justify-between gap-2">
            <span className={`truncate ${is_critical ? "font-bold" : ""}`}>{title}</span>
            <span className="shrink-0 text-ink-2">{words}</span>
          </span>
          <span aria-hidden="true" className="relative block h-[9px] rounded-[3px] bg-note">
            <span
              className="absolute h-full rounded-[3px] border border-dotted border-line-2"
              style={{ left: share(from), width: share(until - from) }}
            />
            <span
              className={`absolute h-full rounded-[3px] ${is_critical ? "bg-crown" : "bg-sea"}`}
              style={{ left: share(from), width: share(to - from) }}
            />
          </span>
        </li>
      ))}
    </ul>
  );
}
