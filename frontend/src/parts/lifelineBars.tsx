import type { Clock } from "../api/client";
import type { LifelineScale } from "./lifelineScale";
import { span, when } from "./time";

export function isLive(clock: Clock): boolean {
  return clock.state === "running" || clock.state === "late" || clock.state === "paused";
}

interface BarProps {
  scale: LifelineScale;
  from: number;
  to: number;
  className: string;
  title?: string;
  /** Where it stands in its line and how high it is, if not over the whole of it. */
  thin?: { top: number; height: number };
  children?: React.ReactNode;
}

export function Bar({ scale, from, to, className, title, thin, children }: BarProps) {
  const left = scale.x(from);
  const width = Math.max(2, scale.x(to) - left);
  return (
    <div
      title={title}
      className={`absolute overflow-hidden whitespace-nowrap rounded-[3px] px-1 text-[12px] leading-[17px] ${className}`}
      style={{ left, width, top: thin?.top ?? 1, height: thin?.height ?? 17 }}
    >
      {width > 34 ? children : null}
    </div>
  );
}

export const COUNTED = { top: 6, height: 8 };
const CLOSED = { top: 0, height: 24 };

type ClockRow = Clock["rows"][number];

/** What a clock's time was, drawn: counted is red only from the due time on. */
export function rowBars(
  clock: Clock,
  row: ClockRow,
  now: number,
): { from: number; to: number; className: string; thin: BarProps["thin"]; title: string }[] {
  const title = (words: string, from: number, to: number) => `${words}, ${when(from, now)} – ${when(to, now)}`;
  const { from_s: from, to_s: to } = row;
  if (row.kind === "closed") return [{ from, to, thin: CLOSED, className: "bg-closed", title: title("out of hours", from, to) }];
  if (row.kind === "paused")
    return [{ from, to, thin: COUNTED, className: "hatched border border-line-2", title: title(`waited ${span(row.seconds)}`, from, to) }];
  if (row.kind !== "counted")
    return [
      {
        from,
        to,
        thin: { top: 9, height: 2 },
        className: "!rounded-none border-t-2 border-dotted border-line-2",
        title: title("not counted", from, to),
      },
    ];
  const dueAt = clock.missed_s ?? clock.due_s;
  const isOver = clock.state === "late" || clock.state === "missed" || (dueAt !== null && dueAt < now && isLive(clock));
  const turn = isOver && dueAt !== null ? Math.min(Math.max(dueAt, from), to) : to;
  return [
    {
      from,
      to: turn,
      thin: COUNTED,
      className: "bg-sea",
      title: title(`counted ${span(turn === to ? row.seconds : turn - from)}`, from, turn),
    },
    { from: turn, to, thin: COUNTED, className: "bg-rust", title: title("overdue", turn, to) },
  ].filter((part) => part.to > part.from);
}

/** Folded: waits and lateness as a thin line below the assignees, and the flags to come with their words. */
export function FoldedClocks({
  clocks,
  scale,
  now,
  isOpen,
  width,
}: {
  clocks: Clock[];
  scale: LifelineScale;
  now: number;
  isOpen: boolean;
  width: number;
}) {
  const thin = { top: 19, height: 4 };
  const bars = clocks.flatMap((clock) =>
    clock.rows.flatMap((row) => (row.kind === "closed" ? [] : rowBars(clock, row, now).filter((bar) => !bar.className.includes("bg-sea")))),
  );
  const coming = clocks
    .flatMap((clock) =>
      isLive(clock) && clock.due_s !== null && clock.due_s > now
        ? [{ at: clock.due_s, words: `${clock.label} ${when(clock.due_s, now)}` }]
        : [],
    )
    .sort((one, other) => one.at - other.at);
  const late = clocks.filter((clock) => clock.state === "late");
  let free = scale.x(now) + 6;
  const labels = [
    ...late.map((clock) => ({ at: now, words: `${clock.label} ${wordsOf(clock, now)}`, isLate: true })),
    ...coming.map((one) => ({ ...one, isLate: false })),
  ].flatMap(({ at, words, isLate }) => {
    const left = Math.max(scale.x(at) + 6, free);
    const room = words.length * 6.4;
    if (left + room > width) return [];
    free = left + room + 10;
    return [{ left, words, isLate }];
  });
  return (
    <>
      {bars.map((bar, index) => (
        <Bar key={index} scale={scale} {...bar} thin={thin} />
      ))}
      {isOpen ? <span className="absolute top-0 h-[24px] w-[2px] bg-ink" style={{ left: scale.x(now) - 1 }} /> : null}
      {coming.map((one) => (
        <span
          key={one.words}
          title={one.words}
          className="absolute top-[1px] h-[17px] w-[3px] bg-crown"
          style={{ left: scale.x(one.at) - 1 }}
        />
      ))}
      {labels.map((one) => (
        <span
          key={one.words}
          className={`absolute z-[5] whitespace-nowrap bg-sheet/85 text-[13px] leading-[19px] ${one.isLate ? "font-semibold text-rust" : ""}`}
          style={{ left: one.left }}
        >
          {one.words}
        </span>
      ))}
    </>
  );
}

export function wordsOf(clock: Clock, now: number): string {
  switch (clock.state) {
    case "met":
      return `${span(clock.consumed_seconds)} of ${span(clock.target_seconds)}, met`;
    case "missed":
      return `${span(clock.consumed_seconds)} of ${span(clock.target_seconds)}, missed`;
    case "paused":
      return `waiting · ${clock.remaining_seconds >= 0 ? `${span(clock.remaining_seconds)} left` : `over by ${span(clock.remaining_seconds)}`}`;
    case "cancelled":
      return "cancelled";
    default:
      if (clock.due_s === null) return "";
      if (clock.due_s <= now && (clock.late_from_s === null || clock.late_from_s > now))
        return `overdue when hours resume (${clock.late_from_s === null ? "later" : when(clock.late_from_s, now)})`;
      if (clock.late_from_s !== null && clock.late_from_s < now) return `overdue ${span(now - clock.due_s)}`;
      return `due ${when(clock.due_s, now)} · ${span(clock.remaining_seconds)} left`;
  }
}
