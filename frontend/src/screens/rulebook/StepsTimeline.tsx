import { type Agreement, type Step, useBook } from "./data";
import { spanWords } from "./edits";
import { whoWords } from "./who";

interface Mark {
  at: number;
  title: string;
  does: string;
  isDue: boolean;
}

/** The agreement drawn: start, steps, target, after – for its most usual priority. */
export function StepsTimeline({ agreement }: { agreement: Agreement }) {
  const { words } = useBook();
  const clocks = [...new Set((agreement.steps ?? []).map((step) => step.clock))].filter((clock) => clock !== "untouched");
  return (
    <div className="mb-3">
      {clocks.map((clock) => (
        <Line key={clock} agreement={agreement} clock={clock} label={words.clocks.find((one) => one.key === clock)?.label ?? clock} />
      ))}
    </div>
  );
}

function Line({ agreement, clock, label }: { agreement: Agreement; clock: string; label: string }) {
  const priority =
    agreement.targets["2"]?.[clock] !== undefined
      ? "2"
      : Object.keys(agreement.targets).find((key) => agreement.targets[key]?.[clock] !== undefined);
  const target = priority ? agreement.targets[priority]?.[clock] : undefined;
  if (typeof target !== "number") return null;
  const marks: Mark[] = (agreement.steps ?? [])
    .filter((step) => step.clock === clock)
    .map((step) => ({ at: amountOf(step, target), title: momentWords(step), does: doesWords(step), isDue: false }))
    .filter((mark) => mark.at >= 0);
  marks.push({ at: target, title: `${label} due, ${spanWords(target)} for P${priority ?? ""}`, does: "", isDue: true });
  marks.sort((one, other) => one.at - other.at);
  const end = Math.max(target * 1.12, ...marks.map((mark) => mark.at * 1.06));
  const x = (at: number) => 8 + (624 * at) / end;
  return (
    <svg
      viewBox="0 0 648 96"
      className="w-full max-w-[760px]"
      role="img"
      aria-label={`${label}: ${marks.map((mark) => `${mark.title} ${mark.does}`).join(", ")}`}
    >
      <line x1={x(0)} x2={x(target)} y1="48" y2="48" className="stroke-sea" strokeWidth="3" />
      <line x1={x(target)} x2={x(end)} y1="48" y2="48" className="stroke-rust" strokeWidth="3" strokeDasharray="4 3" />
      <line x1={x(0)} x2={x(0)} y1="38" y2="58" className="stroke-crown" strokeWidth="3" />
      <text x={x(0)} y="74" className="fill-ink text-[11px] font-bold">
        {label} starts
      </text>
      {marks.map((mark, index) => {
        const above = index % 2 === 0;
        const anchor = mark.at > end * 0.8 ? "end" : mark.at < end * 0.12 ? "start" : "middle";
        return (
          <g key={index}>
            <line
              x1={x(mark.at)}
              x2={x(mark.at)}
              y1="36"
              y2="60"
              className={mark.isDue ? "stroke-ink" : mark.at > target ? "stroke-rust" : "stroke-crown"}
              strokeWidth="3"
            />
            <text x={x(mark.at)} y={above ? 14 : 76} textAnchor={anchor} className="fill-ink text-[11px] font-bold">
              {mark.title}
            </text>
            <text x={x(mark.at)} y={above ? 27 : 89} textAnchor={anchor} className="fill-ink-2 text-[11px]">
              {mark.does}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

function amountOf(step: Step, target: number): number {
  const { before_due, at_percent, after_due } = step.moment;
  if (before_due !== undefined) return target - before_due;
  if (at_percent !== undefined) return Math.round((target * at_percent) / 100);
  return target + (after_due ?? 0);
}

export function momentWords(step: Step): string {
  const { before_due, at_percent, after_due, untouched } = step.moment;
  if (before_due !== undefined) return `${spanWords(before_due)} before`;
  if (at_percent !== undefined) return at_percent === 50 ? "half gone" : `${at_percent} % gone`;
  if (untouched !== undefined) return `not worked on for ${spanWords(untouched)}`;
  return after_due ? `${spanWords(after_due)} after` : "at due";
}

function doesWords(step: Step): string {
  const words = step.then.map((action) =>
    action.do === "notify"
      ? `tell ${(action.who ?? []).map(whoWords).join(", ")}`
      : action.do === "set"
        ? `set ${action.field ?? ""}`
        : action.do,
  );
  const said = words.join(", ");
  return said.length > 44 ? `${said.slice(0, 42)}…` : said;
}
