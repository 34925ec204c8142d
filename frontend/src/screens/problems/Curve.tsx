import type { components } from "../../api/schema";
import { when } from "../../parts/time";

type Curve = components["schemas"]["CurveShape"];

const WIDTH = 1200;
const HEIGHT = 96;
const TOP = 8;
const WEEK = 7 * 86_400;
/** What may have changed how often it happens. */
const STRONG = new Set(["workaround", "resolved", "change"]);

/** Linked incidents week by week, with what was done about them: whether it worked is to be seen. */
export function CurvePanel({ curve, now }: { curve: Curve; now: number }) {
  const most = Math.max(1, ...curve.weeks);
  const step = WIDTH / curve.weeks.length;
  const x = (at: number) => ((at - curve.from_s) / (curve.to_s - curve.from_s)) * WIDTH;
  const y = (count: number) => TOP + (1 - count / most) * (HEIGHT - TOP);
  const total = curve.weeks.reduce((sum, count) => sum + count, 0);
  const marks = curve.marks.filter((mark) => mark.at_s >= curve.from_s);
  const months = monthsBetween(curve.from_s, curve.to_s);
  const quarter = curve.weeks.length / 2;
  const early = sum(curve.weeks.slice(0, quarter));
  return (
    <section aria-label="Incidents a week" className="mt-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h2 className="font-bold">Incidents a week</h2>
        <span className="text-[13px] text-ink-2">
          {total} in {curve.weeks.length} weeks, at most {most} in one
          {total > 0 ? `; ${early} in the first half of them, ${total - early} in the second` : ""}
        </span>
        {curve.hours_before !== null || curve.hours_after !== null ? (
          <span className="ml-auto text-[13px]">
            {curve.hours_after !== null ? (
              <>
                <b>{curve.hours_after} h</b> each since the workaround
                {curve.hours_before !== null ? <span className="text-ink-2">, {curve.hours_before} h before it</span> : null}
              </>
            ) : (
              <span className="text-ink-2">{curve.hours_before} h each before the workaround, none since</span>
            )}
          </span>
        ) : null}
      </div>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT + 20}`} className="mt-1 h-[126px] w-full" preserveAspectRatio="none" aria-hidden="true">
        {months.map((month) => (
          <line key={month.at} x1={x(month.at)} x2={x(month.at)} y1={0} y2={HEIGHT} className="stroke-line" strokeWidth={1} />
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} className="stroke-line-2" strokeWidth={1} />
        {curve.weeks.map((count, index) => (
          <rect
            key={index}
            x={index * step + 3}
            width={step - 6}
            y={y(count)}
            height={HEIGHT - y(count)}
            className={count === 0 ? "fill-none" : "fill-sea-2"}
          >
            <title>{`${count} in the week to ${when(curve.from_s + (index + 1) * WEEK, now)}`}</title>
          </rect>
        ))}
        {marks.map((mark, index) => (
          <line
            key={index}
            x1={x(mark.at_s)}
            x2={x(mark.at_s)}
            y1={0}
            y2={HEIGHT + 6}
            className={STRONG.has(mark.what) ? "stroke-sea" : "stroke-ink-3"}
            strokeWidth={STRONG.has(mark.what) ? 3 : 1.5}
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      <div className="relative h-[18px] text-[12px] text-ink-2" aria-hidden="true">
        {months.map((month) => (
          <span key={month.at} className="absolute whitespace-nowrap pl-1" style={{ left: `${(x(month.at) / WIDTH) * 100}%` }}>
            {month.name}
          </span>
        ))}
      </div>
      {marks.length > 0 ? (
        <ol className="mt-0.5 flex flex-wrap gap-x-4 text-[13px]" aria-label="What was done">
          {marks.map((mark, index) => (
            <li key={index}>
              <b className="font-semibold">{mark.what}</b> <span className="text-ink-2">{when(mark.at_s, now)}</span>
            </li>
          ))}
        </ol>
      ) : null}
    </section>
  );
}

function sum(list: number[]): number {
  return list.reduce((all, one) => all + one, 0);
}

function monthsBetween(from: number, to: number): { at: number; name: string }[] {
  const found: { at: number; name: string }[] = [];
  const day = new Date(from * 1000);
  day.setDate(1);
  day.setHours(0, 0, 0, 0);
  for (;;) {
    day.setMonth(day.getMonth() + 1);
    const at = day.getTime() / 1000;
    if (at > to - 86_400 * 6) return found;
    found.push({ at, name: day.toLocaleDateString("en-GB", { month: "short" }) });
  }
}
