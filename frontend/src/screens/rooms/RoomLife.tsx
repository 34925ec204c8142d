import { useWidth } from "../../parts/hooks";
import { clockTime, exact, MINUTE, span } from "../../parts/time";
import { dueOf, type Room } from "./roomWords";

const LABEL = 150;

/** Its life to scale: when it was reported and declared, what each audience was told and when it hears next. */
export function RoomLife({ room, now }: { room: Room; now: number }) {
  const [ref, width] = useWidth<HTMLDivElement>();
  const begins = Math.min(room.began_s ?? room.reported_s, room.reported_s);
  const ends = Math.max(room.stood_down_s ?? now, ...room.audiences.map((one) => one.due_s ?? 0)) + 10 * MINUTE;
  const from = begins - 5 * MINUTE;
  const inner = Math.max(width - LABEL - 12, 100);
  const x = (at: number) => LABEL + ((at - from) / (ends - from)) * inner;
  const ticks = ticksBetween(from, ends, inner);
  const height = 52 + room.audiences.length * 21;
  return (
    <figure
      ref={ref}
      className="relative shrink-0 overflow-hidden rounded-card border border-line bg-sheet"
      style={{ height }}
      aria-label={wordsOf(room, now)}
    >
      {width > 0 ? (
        <svg width={width} height={height} aria-hidden="true" className="block text-[12px]">
          {ticks.map((at) => (
            <g key={at}>
              <line x1={x(at)} x2={x(at)} y1={20} y2={height - 4} className="stroke-line" />
              <text x={x(at)} y={14} textAnchor="middle" className="fill-ink-2">
                {clockTime(at)}
              </text>
            </g>
          ))}
          <text x={12} y={37} className="fill-ink-2">
            {room.restored_s ? "cut off" : "runs"}
          </text>
          <rect
            x={x(begins)}
            width={Math.max(x(room.restored_s ?? room.stood_down_s ?? now) - x(begins), 2)}
            y={28}
            height={12}
            rx={2}
            className="fill-ink"
          >
            <title>{`${exact(begins)} – ${room.restored_s ? exact(room.restored_s) : "now"}`}</title>
          </rect>
          <line x1={x(room.declared_s)} x2={x(room.declared_s)} y1={20} y2={height - 4} className="stroke-ink" strokeWidth="2" />
          <text x={x(room.declared_s) + 5} y={38} className="fill-sheet font-semibold">
            declared
          </text>
          {room.audiences.map((audience, row) => {
            const y = 60 + row * 21;
            const due = dueOf(audience, now);
            const sent = room.updates.filter((one) => one.audience === audience.name && one.sent_s !== null);
            return (
              <g key={audience.id}>
                <text x={12} y={y + 4} className="fill-ink-2">
                  {`told: ${audience.name}`.slice(0, 24)}
                </text>
                {sent.map((one) => (
                  <g key={one.id}>
                    {one.late_s >= MINUTE && one.due_s !== null ? (
                      <line x1={x(one.due_s)} x2={x(one.sent_s ?? 0)} y1={y} y2={y} className="stroke-rust" strokeWidth="5" />
                    ) : null}
                    <rect x={x(one.sent_s ?? 0) - 4} y={y - 5} width={9} height={9} rx={2} className="fill-sea">
                      <title>{`update ${one.number}, ${exact(one.sent_s ?? 0)}${one.late_s >= MINUTE ? `, ${span(one.late_s)} late` : ""}`}</title>
                    </rect>
                  </g>
                ))}
                {audience.due_s !== null ? (
                  <>
                    <line
                      x1={x(Math.min(now, audience.due_s))}
                      x2={x(Math.max(now, audience.due_s))}
                      y1={y}
                      y2={y}
                      className={due.isLate ? "stroke-rust" : "stroke-crown"}
                      strokeWidth={due.isLate ? 5 : 3}
                    />
                    <line
                      x1={x(audience.due_s)}
                      x2={x(audience.due_s)}
                      y1={y - 7}
                      y2={y + 7}
                      className={due.isLate ? "stroke-rust" : "stroke-crown"}
                      strokeWidth="3"
                    />
                  </>
                ) : null}
              </g>
            );
          })}
          {room.stood_down_s === null ? (
            <line x1={x(now)} x2={x(now)} y1={18} y2={height - 2} className="stroke-ink" strokeWidth="2" />
          ) : null}
        </svg>
      ) : null}
    </figure>
  );
}

function ticksBetween(from: number, to: number, width: number): number[] {
  const steps = [5, 10, 15, 30, 60, 120, 240, 720, 1440].map((minutes) => minutes * MINUTE);
  const wanted = (to - from) / Math.max(width / 90, 2);
  const step = steps.find((one) => one >= wanted) ?? 1440 * MINUTE;
  const found: number[] = [];
  for (let at = Math.ceil(from / step) * step; at < to; at += step) found.push(at);
  return found;
}

/** The same in words, for who does not see it. */
function wordsOf(room: Room, now: number): string {
  const told = room.audiences.map((audience) => {
    const sent = room.updates.filter((one) => one.audience === audience.name && one.sent_s !== null);
    return `${audience.name}: told ${sent.length} times, next ${dueOf(audience, now).words}`;
  });
  return [`Reported ${clockTime(room.reported_s)}, declared ${clockTime(room.declared_s)}`, ...told].join(". ");
}
