import type { components } from "../../api/schema";
import { exact } from "../../parts/time";

type Week = components["schemas"]["ArticleWeekShape"];

const ROWS = [
  { key: "reads", name: "read", fill: "bg-sea" },
  { key: "saved", name: "tickets saved", fill: "bg-crown" },
  { key: "used", name: "tickets resolved", fill: "bg-ink-2" },
] as const;
const HIGH = 22;

/** Twelve weeks of an article, a bar a week: each row to its own greatest, which stands beside it. */
export function OverTime({ weeks }: { weeks: Week[] }) {
  return (
    <ul className="mt-1 flex flex-col gap-1" aria-label="Week by week">
      {ROWS.map(({ key, name, fill }) => {
        const counts = weeks.map((week) => week[key]);
        const most = Math.max(0, ...counts);
        const all = counts.reduce((sum, count) => sum + count, 0);
        return (
          <li key={key} className="grid grid-cols-[108px_minmax(0,1fr)_112px] items-end gap-2 text-[13px]">
            <span className="text-ink-2">{name}</span>
            <span className="flex items-end gap-[2px] border-b border-line-2" style={{ height: HIGH + 2 }} aria-hidden="true">
              {weeks.map((week) => (
                <span
                  key={week.from_s}
                  title={`week from ${exact(week.from_s)}: ${week[key]}`}
                  className={`flex-1 ${week[key] > 0 ? fill : ""}`}
                  style={{ height: most > 0 ? Math.round((week[key] / most) * HIGH) : 0 }}
                />
              ))}
            </span>
            <span className="text-right tabular-nums">
              {all} <span className="text-ink-2">{most > 0 ? `(most ${most})` : ""}</span>
              <span className="sr-only">: {counts.join(", ")}</span>
            </span>
          </li>
        );
      })}
    </ul>
  );
}
