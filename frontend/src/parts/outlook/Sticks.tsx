import type { TeamOutlook } from "../chances";
import { useWidth } from "../hooks";
import { inTen } from "../text";
import { clockTime } from "../time";

const HEIGHT = 128;
const TOP = 22;
const BASE = 104;
const LEFT = 56;
const LABELS = 3;
const HOUR_S = 3600;

interface SticksProps {
  due: TeamOutlook["due"];
  from: number;
  until: number;
}

/** What falls due, each a stick at its time, as high as it is likely to be missed. */
export function Sticks({ due, from, until }: SticksProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const right = Math.max(LEFT + 60, width - 12);
  const x = (at: number) => LEFT + ((at - from) / Math.max(1, until - from)) * (right - LEFT);
  const y = (chance: number) => BASE - chance * (BASE - TOP);
  const named = new Set(
    [...due]
      .filter((one) => one.chance >= 0.3)
      .sort((one, other) => other.chance - one.chance)
      .slice(0, LABELS)
      .map((one) => one.number),
  );
  const step = until - from > 30 * HOUR_S ? 12 : until - from > 12 * HOUR_S ? 4 : 2;
  const ticks: number[] = [];
  for (let at = Math.ceil(from / HOUR_S) * HOUR_S; at < until; at += HOUR_S) {
    if (+clockTime(at).slice(0, 2) % step === 0 && x(at) - LEFT > 44 && right - x(at) > 44) ticks.push(at);
  }
  return (
    <div ref={box} className="relative min-w-0">
      {width > 0 ? (
        <svg width={width} height={HEIGHT} role="img" aria-label={spoken(due)} className="block">
          {[0.5, 1].map((share) => (
            <g key={share}>
              <line x1={LEFT} x2={right} y1={y(share)} y2={y(share)} className="stroke-line" />
              <text x={LEFT - 6} y={y(share) + 4} textAnchor="end" className="fill-ink-2 text-[12px]">
                {share * 10} in 10
              </text>
            </g>
          ))}
          <line x1={LEFT} x2={right} y1={BASE} y2={BASE} className="stroke-line-2" />
          {ticks.map((at) => (
            <g key={at}>
              <line x1={x(at)} x2={x(at)} y1={BASE} y2={BASE + 4} className="stroke-line-2" />
              <text x={x(at)} y={BASE + 18} textAnchor="middle" className="fill-ink-2 text-[12px]">
                {clockTime(at)}
              </text>
            </g>
          ))}
          {due.map((one) => {
            const isLikely = one.chance >= 0.5;
            const isNamed = named.has(one.number);
            return (
              <g key={one.number}>
                <line
                  x1={x(one.due_s)}
                  x2={x(one.due_s)}
                  y1={BASE}
                  y2={y(one.chance)}
                  strokeWidth={isLikely ? 5 : 3}
                  className={isLikely ? "stroke-crown" : "stroke-sea-2"}
                />
                <circle
                  cx={x(one.due_s)}
                  cy={y(one.chance)}
                  r={isNamed ? 6 : 4.5}
                  className={isLikely || isNamed ? "fill-ink" : "fill-sea"}
                />
              </g>
            );
          })}
          <line x1={LEFT} x2={LEFT} y1={8} y2={BASE + 4} strokeWidth={2} className="stroke-ink" />
          <text x={LEFT} y={BASE + 18} textAnchor="middle" className="fill-ink text-[12px] font-bold">
            {clockTime(from)}
          </text>
          <text x={right} y={BASE + 18} textAnchor="end" className="fill-ink-2 text-[12px]">
            {clockTime(until)}
          </text>
        </svg>
      ) : null}
      {width > 0
        ? due
            .filter((one) => named.has(one.number))
            .map((one) => (
              <span
                key={one.number}
                aria-hidden="true"
                className="absolute whitespace-nowrap text-[13px] font-semibold"
                style={{
                  top: Math.max(0, y(one.chance) - 10),
                  ...(x(one.due_s) > right - 120 ? { right: width - x(one.due_s) + 10 } : { left: x(one.due_s) + 10 }),
                }}
              >
                {one.number} <span className="font-normal text-ink-2">{inTen(one.chance)}</span>
              </span>
            ))
        : null}
    </div>
  );
}

function spoken(due: TeamOutlook["due"]): string {
  if (due.length === 0) return "Nothing falls due.";
  return `What falls due: ${due.map((one) => `${one.number} at ${clockTime(one.due_s)}, ${inTen(one.chance)}`).join("; ")}`;
}
