import { useQuery } from "@tanstack/react-query";
import type { Row } from "../api/client";
import { api, ok } from "../api/client";
import { useChance } from "./chances";
import { inTen } from "./text";
import { closedParts, ground, isBeyond, nowAt, nowLabel, place, ticks } from "./horizon";
import { clockWord, dueWords, urgencyOf } from "./state";
import { exact } from "./time";

/** The open spans of every calendar, for shading closed hours. */
export function useCalendars(): Map<string, number[][]> {
  const { data } = useQuery({
    queryKey: ["calendars"],
    queryFn: () => ok(api.GET("/api/calendars")),
    staleTime: 30 * 60_000,
  });
  return new Map((data ?? []).map((calendar) => [calendar.key, calendar.spans]));
}

export function AxisHead({ width, now }: { width: number; now: number }) {
  const nowX = nowAt * width;
  return (
    <div className="relative h-full select-none text-[12px] text-ink-2" aria-hidden="true">
      {width > 330 ? (
        <span className="absolute top-1/2 -translate-y-1/2" style={{ left: Math.max(0, nowX - 76) }}>
          overdue
        </span>
      ) : null}
      <span
        className="absolute top-1/2 z-10 -translate-x-1/2 -translate-y-1/2 rounded bg-bar px-1.5 py-0.5 font-mono text-[12px] font-semibold text-white"
        style={{ left: nowX }}
      >
        {nowLabel(now)}
      </span>
      {ticks(now, width).map((tick) => (
        <span
          key={tick.label + tick.at}
          className="absolute top-1/2 -translate-x-1/2 -translate-y-1/2 whitespace-nowrap"
          style={{ left: tick.x }}
        >
          {tick.label}
        </span>
      ))}
    </div>
  );
}

/** A bar that goes on beyond the axis is cut where it leaves it. */
function CutMark({ x, middle }: { x: number; middle: number }) {
  const edge = (at: number) => `M${at} ${middle - 9} l-3 4.5 l5 4.5 l-5 4.5 l3 4.5`;
  return (
    <>
      <path d={`${edge(x)} l5 0 l-3 -4.5 l5 -4.5 l-5 -4.5 l3 -4.5 z`} className="fill-sheet" />
      <path d={edge(x)} className="fill-none stroke-ink-2" />
      <path d={edge(x + 5)} className="fill-none stroke-ink-2" />
    </>
  );
}

const ALWAYS_OPEN: [number, number][] = [];

interface TrackProps {
  row: Row;
  width: number;
  height: number;
  now: number;
  openSpans: number[][] | undefined;
}

/** One row of the horizon: its closed hours, its bar, its flag, and the words beside it. */
export function Track({ row, width, height, now, openSpans }: TrackProps) {
  const nowX = nowAt * width;
  const middle = height / 2;
  const urgency = urgencyOf(row, now);
  const full = dueWords(row, now);
  // Where there is little room, the colour and the bar say “overdue” already; nothing is cut off.
  const chance = useChance(row.id);
  const isRunning = urgency === "close" || urgency === "fine";
  const said = chance !== undefined && isRunning ? inTen(chance) : "";
  const brief = urgency === "late" && nowX + 5 + full.length * 7.3 > width ? full.replace("overdue ", "") : full;
  const end =
    row.due_s !== null
      ? place(row.due_s, now) * width
      : place(now + Math.max(0, row.waiting_until_s ? row.waiting_until_s - now : (row.left_seconds ?? 0)), now) * width;
  const isCut = row.due_s !== null && isBeyond(row.due_s, now);
  const room = Math.max(width - end - 6, end - nowX - 5);
  const withChance = said ? [`${brief} · may be late: ${said}`, `${brief} · ${said}`, said] : [];
  const words = withChance.find((one) => one.length * 6.7 + 8 < room) ?? brief;
  const textWidth = words.length * 6.7 + 8;
  const fitsBeside = end + textWidth < width;
  const textX = urgency === "late" ? nowX + 5 : fitsBeside ? Math.max(nowX + 5, end + 6) : Math.max(nowX + 5, end - textWidth);
  if (width < 40) return null;
  const backgroundImage = ground(ticks(now, width), openSpans ? closedParts(openSpans, now) : ALWAYS_OPEN);
  const title =
    row.due_s !== null
      ? `${clockWord(row.due_kind)} due ${exact(row.due_s)}${isCut ? "; beyond this axis, drawn cut" : ""}${said ? `; may be late: ${said}` : ""}`
      : full;
  return (
    <div className="relative h-full" style={{ width, backgroundImage }}>
      <svg width={width} height={height} className="absolute inset-0" aria-hidden="true">
        {urgency === "late" ? (
          <rect x={Math.min(end, nowX - 3)} y={middle - 6} width={nowX - Math.min(end, nowX - 3)} height={12} className="fill-rust" />
        ) : null}
        {urgency === "close" || urgency === "fine" ? (
          <>
            <rect
              x={nowX}
              y={middle - 2}
              width={Math.max(2, end - nowX)}
              height={4}
              className={urgency === "close" ? "fill-crown" : "fill-sea-2"}
            />
            <rect x={end - 1.5} y={middle - 9} width={3} height={18} className={urgency === "close" ? "fill-crown" : "fill-sea"} />
          </>
        ) : null}
        {isCut ? <CutMark x={urgency === "late" ? end + 7 : end - 9} middle={middle} /> : null}
        <rect x={nowX - 1} y={0} width={2} height={height} className="fill-ink" />
      </svg>
      {urgency === "waiting" ? (
        <span
          className="hatched absolute rounded-[3px] border border-line-2"
          style={{ left: nowX + 1, width: Math.max(8, end - nowX), top: middle - 6, height: 12 }}
        />
      ) : null}
      <span
        title={title}
        className={`absolute top-1/2 -translate-y-1/2 whitespace-nowrap rounded px-0.5 text-[13px] ${
          urgency === "late" ? "font-bold text-rust" : "text-ink-2"
        } ${fitsBeside || urgency === "late" ? "" : "bg-sheet/85"}`}
        style={{ left: textX }}
      >
        {words}
      </span>
    </div>
  );
}
